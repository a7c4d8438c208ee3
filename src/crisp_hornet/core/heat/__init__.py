"""Heat of winding, housing and controller as a thermal network; how long a pull lasts until a guard derates it."""
