"""The renderer: a project as sound, from any position, the same every time."""
