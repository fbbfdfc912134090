# SPDX-License-Identifier: GPL-3.0-or-later
"""Lanes that come out of a measurement: with the reach in which a control is heard, and as a sweep to try it."""

from __future__ import annotations

from zolvek.core.curve.construction import lines
from zolvek.core.edits.lanes import with_reach
from zolvek.core.edits.replacement import add_lane, with_lane
from zolvek.core.model.project import Project
from zolvek.core.records import replace
from zolvek.core.value.reach import Reach


def lane_with_reach(project: Project, device: str, parameter: str, reach: Reach) -> tuple[Project, str]:
    """A lane for the control with that reach, widened to where the control stands, as a new lane changes nothing; one
    that is there keeps its curve and is heard as before."""
    had = project.device_track(device).lane_on(device, parameter) is not None
    project, key = add_lane(project, device, parameter)
    lane = project.lane(key)
    if had or lane.relative:
        return project, key
    now = project.device_track(device).device(device).position(parameter)
    low, high = min(*reach, now), max(*reach, now)
    if low == high:
        return project, key
    return with_lane(project, with_reach(lane, low, high, True)), key


def swept(project: Project, device: str, parameter: str, reach: Reach, span: tuple[float, float]) -> Project:
    """The project with the control moved evenly through the reach in a span of beats and back at its end, to be heard,
    not kept."""
    project, key = add_lane(project, device, parameter)
    lane = replace(project.lane(key), layers=(), slots=(), switches=(), cycle=None, relative=False, bypassed=False)
    low, high = sorted(reach)
    lane = replace(lane, reach=(low, high) if high > low else (0.0, 1.0))
    middle = 0.5 * (span[0] + span[1])
    return with_lane(project, replace(lane, curve=lines([span[0], middle, span[1]], [0.0, 1.0, 0.0])))
