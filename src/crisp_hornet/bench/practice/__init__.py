"""Practice in the window: a job's room, what is done in it, and the sheet it is led by."""
