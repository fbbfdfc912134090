"""What is known of a project's sound files."""
