"""Hook-up: ports, identity, first backup, live values."""
