# SPDX-License-Identifier: GPL-3.0-or-later
"""Movement: what makes it, what is recorded of it, how a lane plays it, and morphs between states."""
