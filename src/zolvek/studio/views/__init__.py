"""What is painted and clicked."""
