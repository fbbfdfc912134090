"""Hosted plugins in a project: added with their presets as states."""

from __future__ import annotations

from zolvek.core.document import stored_states
from zolvek.core.document.chain import add_device
from zolvek.core.model.catalogue import DeviceKind
from zolvek.core.model.project import Project
from zolvek.core.model.state import StatePart

MOST_STATES = (
    32  # of a plugin's presets that become states at once; the others are there as presets
)


def hosts_plugins(project: Project) -> bool:
    return any(
        device.row.plugin is not None for track in project.tracks for device in track.devices
    )


def added(project: Project, track: str, kind: DeviceKind) -> tuple[Project, str]:
    """The plugin in a track's chain, its first presets as states, so that it can go from one to another.
    Returns the device's id."""
    project, key = add_device(project, track, kind)
    device = project.device_track(key).device(key)
    present = stored_states.present(device)
    for preset in kind.presets[:MOST_STATES]:
        values = present | kind.named(preset.name)
        project, _ = stored_states.kept(project, preset.name, (StatePart(key, values),))
    return project, key
