"""Which plugins are installed, and the one way to load them."""
