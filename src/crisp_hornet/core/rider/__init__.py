"""What the rider's hand and legs ask of the motor: throttle, torque-sensor assist, pedal stroke."""
