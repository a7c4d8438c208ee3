"""Help in the window: the card that F1 opens, and the search of Ctrl+K."""
