"""Build: the bike as its parts, with a drawing computed from its figures."""
