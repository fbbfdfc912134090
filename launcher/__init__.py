# SPDX-License-Identifier: GPL-3.0-or-later
"""What the `zolvek` script does before the program runs. Standard library only: it has to start
before anything is installed, on a system that has Python and nothing else."""
