"""Rides: import logs and look at them."""
