"""Symbols for actions, from the Phosphor set that QtAwesome ships (MIT licence)."""

from __future__ import annotations

from PyQt6.QtGui import QIcon

from zolvek.studio.theme import Theme

NAMES = {
    "play": "ph.play", "stop": "ph.stop", "return": "ph.skip-back", "loop": "ph.repeat",
    "undo": "ph.arrow-u-up-left", "redo": "ph.arrow-u-up-right", "save": "ph.floppy-disk",
    "draw": "ph.pencil-line", "export": "ph.export", "shape": "ph.bounding-box", "patterns": "ph.squares-four",
    "devices": "ph.stack", "record": "ph.record", "morph": "ph.intersect", "thin": "ph.path", "movement": "ph.waves", "perform": "ph.hand-pointing", "listen": "ph.ear",
}  # fmt: skip


def icon(name: str, theme: Theme, on_light: bool = False) -> QIcon:
    """A symbol in the theme's ink; switched on it turns to the curve's ink on light ground, to
    the sheet's colour on the curve's ink. The icon fonts load at the first call."""
    import qtawesome

    return qtawesome.icon(
        NAMES[name],
        color=theme.ink,
        color_disabled=theme.ghost,
        color_on=theme.curve if on_light else theme.sheet,
    )
