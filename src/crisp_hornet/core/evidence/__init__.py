"""From a ride's channels to figures that can be held against the prediction."""
