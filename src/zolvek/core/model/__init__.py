"""Records: what a project holds, and nothing that works on it."""
