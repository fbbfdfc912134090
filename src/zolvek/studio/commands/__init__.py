"""What actions and panels do, by kind: one function a command. Those that ask the person take the
studio; the others need no more than the session."""
