# SPDX-License-Identifier: GPL-3.0-or-later
"""What one window holds, part by part: each part owns its fields and says by `changed` that they have changed."""
