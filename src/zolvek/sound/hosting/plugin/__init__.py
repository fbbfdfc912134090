"""What hosting a plugin takes, whatever its standard."""
