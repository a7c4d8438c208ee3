"""Practice: jobs on a simulated bike with a hidden cause, judged by what the bike does afterwards and by how the cause was found.

A job is a document. :mod:`.jobs` finds them, :mod:`.drawing` draws their hidden figures by a seed, :mod:`.laying_out` makes the
garage and the simulated bike, :mod:`.riding` rides a road on a copy of it, :mod:`.trial` and :mod:`.way` read off what the checks ask,
:mod:`.judging` says how it stands, and :mod:`.progress` remembers it. Nothing here touches the user's own garage.
"""
