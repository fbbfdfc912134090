"""Values of parameters: units, tapers, ranges, texts."""
