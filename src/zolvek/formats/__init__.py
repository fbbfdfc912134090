# SPDX-License-Identifier: GPL-3.0-or-later
"""Files in and out: the only place that knows a file's bytes."""
