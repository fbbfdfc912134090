"""The bench: transport and dials."""
