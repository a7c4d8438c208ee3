"""The interface: one window, a job line of stations, a watch list. Computation is in ``core``."""
