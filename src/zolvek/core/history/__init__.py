"""History: labelled projects that share structure, so that undo can't miss anything."""
