"""Sound files: read a block at a time, recognised, followed, written."""
