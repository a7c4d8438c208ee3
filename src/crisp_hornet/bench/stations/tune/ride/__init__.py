"""The ride: a road, what the tunes do on it, what it shall do, and the settings for that."""
