"""The open documents: bikes, tunes, backups, and descriptions of controllers.

Reading goes through :func:`crisp_hornet.documents.store.read_bike` and its siblings, which raise
:class:`crisp_hornet.documents.errors.DocumentError` with one line a person can act on.
"""
