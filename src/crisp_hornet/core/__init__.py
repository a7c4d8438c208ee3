"""Computation only: no interface, no files, no sockets. NumPy arrays in, NumPy arrays out.

One wing per subject, lower ones first; a wing knows only those before it, and none knows one beside it:
:mod:`~crisp_hornet.core.arrays` (the ground), ``pack``, ``drive``, ``road``; then ``heat | rider | ride``; then ``rules | evidence |
calibrate | build | tunes``; on top ``programmes``. Symbols follow the drive literature and are named once in
:mod:`crisp_hornet.core.drive.motor`.
"""
