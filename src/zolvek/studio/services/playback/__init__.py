"""The window's player, its sound output, and equal loudness."""
