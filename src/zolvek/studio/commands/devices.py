# SPDX-License-Identifier: GPL-3.0-or-later
"""Devices and tracks: added, moved, bypassed, heard, removed."""

from __future__ import annotations

from zolvek.core.edits import chains, replacement, states
from zolvek.core.model.project import Track
from zolvek.core.model.state import State
from zolvek.core.records import replace
from zolvek.studio.session.asking import Ask
from zolvek.studio.session.chosen import chosen_device, shown_track
from zolvek.studio.session.session import Session

# --- devices ---


def apply_preset(session: Session, device: str, preset: str) -> None:
    """The preset's values on the controls; lanes keep driving what they drive."""
    project = chains.apply_preset(session.project, device, preset)
    session.document.edit(f"Preset {preset}", project)
    driven = [x for x in chains.lanes_of(session.project, device) if not x.bypassed]
    if driven:
        noun = "control is" if len(driven) == 1 else "controls are"
        session.notices.say(f"{preset}: {len(driven)} {noun} still driven by lanes.")


def move_device(session: Session, by: int) -> None:
    """Move the shown device in its chain."""
    device = chosen_device(session)
    project = chains.move_device(session.project, device.id, by)
    session.document.edit(f"Move {device.name}", project)


def bypass_device(session: Session) -> None:
    """Bypass the shown device, or not."""
    device = chosen_device(session)
    label = f"Apply {device.name}" if device.bypassed else f"Bypass {device.name}"
    changed = replace(device, bypassed=not device.bypassed)
    session.document.edit(label, chains.with_device(session.project, changed))


def remove_device(session: Session, ask: Ask) -> None:
    """Remove the shown device; its lanes are named first."""
    device = chosen_device(session)
    gone = chains.lanes_of(session.project, device.id)
    names = ", ".join(session.project.parameter_of(lane.id).name for lane in gone)
    if gone and not ask.confirm(f"Remove {device.name} and its {len(gone)} lanes?", f"{names}. You can undo this."):
        return
    project = chains.remove_device(session.project, device.id)
    session.document.edit(f"Remove {device.name}", project)


def own_states(session: Session) -> list[State]:
    """The states of the device whose dials are shown."""
    device = session.shown.device
    return [s for s in session.project.states if s.of(device)] if device else []


def hear_state(session: Session, number: int) -> None:
    """The controls at one of the last three states kept."""
    result = own_states(session)[-3:]
    if number >= len(result):
        session.notices.say("There are fewer states. Store one in the Morph panel.")
        return
    project = states.set_to(session.project, result[number])
    session.document.edit(f"Recall {result[number].name}", project)


# --- tracks ---


def add_track(session: Session, ask: Ask, takes_sends: bool) -> None:
    """Ask for a name, and add a track with a channel strip."""
    title = "Add send track" if takes_sends else "Add track"
    typed_name = ask.text(title, "Name:")
    if typed_name is None:
        return
    name = typed_name.strip() or ("Sends" if takes_sends else "Track")
    project, key = chains.add_track(session.project, name, takes_sends)
    session.document.edit(f"Add track {name}", project)
    added = next(track for track in session.project.tracks if track.id == key)
    session.shown.show(added.devices[0].id)


def remove_track(session: Session, ask: Ask) -> None:
    """Ask, then remove the shown track."""
    track = shown_track(session)
    names = ", ".join(session.project.label_of(lane.id) for lane in track.lanes) or "No lanes"
    if ask.confirm(
        f"Remove track {track.name} and its {len(track.lanes)} lanes?",
        f"{names}. You can undo this.",
    ):
        project = chains.remove_track(session.project, track.id)
        session.document.edit(f"Remove {track.name}", project)


def mute_track(session: Session, track: Track) -> None:
    """Mute or unmute a track."""
    label = f"Hear {track.name}" if track.muted else f"Mute {track.name}"
    project = replacement.with_track(session.project, replace(track, muted=not track.muted))
    session.document.edit(label, project)


def safe_track(session: Session, track: Track) -> None:
    """The track is heard whatever else is soloed, or no longer."""
    label = f"{track.name} is {'no longer ' if track.solo_safe else ''}solo safe"
    changed = replace(track, solo_safe=not track.solo_safe)
    session.document.edit(label, replacement.with_track(session.project, changed))


def solo_track(session: Session, track: Track) -> None:
    """The track among those heard alone, or no longer."""
    session.audition.listen(solo=session.audition.listening.solo ^ {track.id})
