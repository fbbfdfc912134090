"""What every device works with: stretches of sound, controls, notes, gains, filters."""
