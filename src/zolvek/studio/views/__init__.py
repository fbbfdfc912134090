# SPDX-License-Identifier: GPL-3.0-or-later
"""What is painted and clicked."""
