"""Practice: stand-ins in place of devices, and the demo."""
