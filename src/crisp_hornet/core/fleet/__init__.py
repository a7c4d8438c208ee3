"""What many rides of many bikes say together."""
