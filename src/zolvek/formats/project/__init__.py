# SPDX-License-Identifier: GPL-3.0-or-later
"""The project file, and what lies next to it: collected sounds, templates, copies for after a crash."""
