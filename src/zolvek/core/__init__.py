# SPDX-License-Identifier: GPL-3.0-or-later
"""The model and every computation on it. No interface code, no files, no sound: numpy only."""
