"""VST3 plugins: found, described, run and shown, through pedalboard."""
