"""The window: a thin Qt Widgets interface that shows a project and sends edits."""
