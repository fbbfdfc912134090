# SPDX-License-Identifier: GPL-3.0-or-later
"""Files on this machine: opening what may come from others, writing whole or not at all, locks, folders."""
