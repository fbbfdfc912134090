# SPDX-License-Identifier: GPL-3.0-or-later
"""What works for a window: playback, recording, other programs, files, plugins."""
