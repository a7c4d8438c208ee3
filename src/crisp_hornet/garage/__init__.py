"""What is kept: bikes, tunes, backups, rides and the logbook, in SQLite with ride files beside it."""
