"""A recorded ride as channels over time: cleaned, joined, worked out further, laid along its way."""
