"""NMEA 0183 sentences: what a rover says of itself."""
