"""Test programmes: what is to be ridden, how it is seen that it was, and whether it can be used as evidence."""
