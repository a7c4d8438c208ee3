"""Tune: the pull chart is the form."""
