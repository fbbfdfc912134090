"""Project files, imports and exports."""
