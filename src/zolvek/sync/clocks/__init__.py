# SPDX-License-Identifier: GPL-3.0-or-later
"""Following a clock from outside."""
