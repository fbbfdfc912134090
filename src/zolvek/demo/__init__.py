"""The demo piece, "Night Regatta": made-up, for a boat parade after dark."""
