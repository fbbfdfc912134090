# SPDX-License-Identifier: GPL-3.0-or-later
"""Edits of a project, one noun a module: plain functions from a project to a changed project."""
