"""The machine it runs on: which libraries Qt needs, whether all is there that a port or a garage needs, and the desktop's menu."""
