# SPDX-License-Identifier: GPL-3.0-or-later
"""Sound files: read a block at a time, recognised, followed, written."""
