# SPDX-License-Identifier: GPL-3.0-or-later
"""Long work in a thread, or in a process of its own."""
