"""Ask for the ride, get the settings: wishes with figures, the settings of least strain that meet them all, and what to do where none do.

:mod:`~crisp_hornet.core.goal.wishes` measures what settings reach; :mod:`~crisp_hornet.core.goal.search` finds the least strain by branch
and bound; :mod:`~crisp_hornet.core.goal.watched` keeps to the watch list; :mod:`~crisp_hornet.core.goal.seek` puts the answer together.
"""
