"""The electrical drive: motor, limits and modes, and the greatest pull that all of them leave (field weakening, MTPA, MTPV)."""
