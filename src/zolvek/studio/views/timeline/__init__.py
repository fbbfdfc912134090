# SPDX-License-Identifier: GPL-3.0-or-later
"""The focus lane, the other lanes, and the rows of time and of the track, on one time axis."""
