"""What a lane plays: cycle, slots and layers applied, as a curve or as steps."""
