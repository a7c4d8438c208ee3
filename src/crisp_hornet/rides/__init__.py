"""Ride logs in and out: one file per format, in a registry (:mod:`crisp_hornet.rides.registry`)."""
