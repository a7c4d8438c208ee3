"""One file a migration."""
