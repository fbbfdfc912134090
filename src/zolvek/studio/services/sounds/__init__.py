# SPDX-License-Identifier: GPL-3.0-or-later
"""What is known of a project's sound files."""
