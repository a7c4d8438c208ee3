"""A ride over a road, in the model."""
