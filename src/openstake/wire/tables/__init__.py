"""Tables that people bring and take away."""
