"""Calibrate: one instrument per sensor, each with its live trace, its judgement and its history; and the live scope."""
