"""Before the ride: kinds of bikes to start from, figures that are plausible, conversions of what makers say, and the order of work."""
