# SPDX-License-Identifier: GPL-3.0-or-later
"""Ports of the machine and the network, and what is sent to them by time alone."""
