"""The focus lane and the low lanes below it, on one time axis."""
