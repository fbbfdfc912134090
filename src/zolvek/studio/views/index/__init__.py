"""The index: tracks, devices and parameters, and what is automated."""
