"""Every action of the window, declared once, a module a menu."""
