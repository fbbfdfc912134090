# SPDX-License-Identifier: GPL-3.0-or-later
"""VST3 plugins: found, described, run and shown, through pedalboard."""
