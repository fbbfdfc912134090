# SPDX-License-Identifier: GPL-3.0-or-later
"""What sound is like: levels, onsets, pictures, and what a control does to it."""
