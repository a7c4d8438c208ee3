"""What a sensor's signal says of the sensor: one file each, from recorded samples to a judgement in words."""
