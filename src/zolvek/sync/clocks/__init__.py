"""Following a clock from outside."""
