"""The chart kit: axes, texts and handles that charts share, and the charts of speed, force and settings themselves."""
