"""The bike on the road: loads, tractive force against slope, launch, steady speed and range."""
