# SPDX-License-Identifier: GPL-3.0-or-later
"""What a project sends, as messages in time."""
