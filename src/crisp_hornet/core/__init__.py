"""Computation only: no interface, no files, no sockets. NumPy arrays in, NumPy arrays out.

Symbols follow the drive literature and are named once in :mod:`crisp_hornet.core.motor`.
"""
