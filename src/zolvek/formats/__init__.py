"""Files in and out: the only place that knows a file's bytes."""
