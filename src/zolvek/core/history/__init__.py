# SPDX-License-Identifier: GPL-3.0-or-later
"""History: labelled projects that share structure, so that undo can't miss anything."""
