# SPDX-License-Identifier: GPL-3.0-or-later
"""Project files, imports and exports."""
