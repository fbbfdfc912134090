"""The project file, and what lies beside it: collected sounds, templates, copies for after a crash."""
