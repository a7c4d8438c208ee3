"""The battery: open-circuit voltage over charge, sag under load, what is usable above the low-voltage cutoff."""
