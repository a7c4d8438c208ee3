"""Logbook: everything that happened, in time order."""
