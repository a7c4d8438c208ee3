"""A device without a line: its sheet, and what its display shows."""
