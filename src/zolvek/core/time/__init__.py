"""Time: tempo, meter, the grid, and rates of movement."""
