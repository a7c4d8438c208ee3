"""The simulated bike and controller: a process of its own, with physics of its own.

Nothing here comes from ``core``: the application's predictions are checked against this, so it must not
share their formulas. It starts from a bike document and then departs from it (a tired pack, a wheel that
rolls longer than the document says, more drag), see :mod:`crisp_hornet.standin.truth`.
"""
