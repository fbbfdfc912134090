"""What sound is like: levels, onsets, pictures, and what a control does to it."""
