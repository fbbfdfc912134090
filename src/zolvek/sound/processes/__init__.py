"""Work in processes of its own: rendering ahead, and long jobs."""
