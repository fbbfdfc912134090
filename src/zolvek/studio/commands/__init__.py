"""What actions and panels do, by kind: one function a command."""
