"""Jobs that a process of its own does: exports, and what concerns plugins."""
