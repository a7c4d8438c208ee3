"""A description of a controller that none fits yet, begun at the controller itself."""
