# SPDX-License-Identifier: GPL-3.0-or-later
"""A song's messages as it moves: one set of functions, compiled for JACK's callback and as they are for the thread."""
