"""What a project sends, as messages in time."""
