"""Long work in a thread, or in a process of its own."""
