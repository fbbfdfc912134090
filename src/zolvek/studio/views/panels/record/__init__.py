"""The Record panel: passes, takes, and the controller."""
