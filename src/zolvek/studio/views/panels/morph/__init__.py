# SPDX-License-Identifier: GPL-3.0-or-later
"""The Morph panel: states, morphs between them, and the pad."""
