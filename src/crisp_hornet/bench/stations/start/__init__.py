"""The start page: three doors, what was left undone, the jobs of practice."""
