"""Tunes among themselves: a gentle one to start from, the steps to a goal, which came from which."""
