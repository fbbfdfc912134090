"""The application: its start, its window, its menus, and what becomes of faults."""
