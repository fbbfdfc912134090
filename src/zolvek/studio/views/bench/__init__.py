# SPDX-License-Identifier: GPL-3.0-or-later
"""The bench: transport and dials."""
