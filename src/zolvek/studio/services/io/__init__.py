"""What comes in from other programs and machines, and goes to them."""
