# SPDX-License-Identifier: GPL-3.0-or-later
"""What actions and panels do, by kind: one function a command."""
