"""How many examples a test draws: a share by default, all of them with ``scripts/test --long``."""

import os

LONG = os.environ.get("CRISP_HORNET_TESTS") == "long"


def some(many, least=12):
    """So many of ``many``: all in a long run, else a third of them, but ``least``."""
    return many if LONG else max(many // 3, min(least, many))


def few(many, usual):
    """As many as are usual; all of ``many`` in a long run. For what is costly."""
    return many if LONG else usual


def of(usual, more):
    """Kinds of one thing: the usual ones, and the others in a long run."""
    return [*usual, *more] if LONG else list(usual)
