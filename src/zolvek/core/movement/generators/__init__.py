"""What makes movement: LFOs and random movement."""
