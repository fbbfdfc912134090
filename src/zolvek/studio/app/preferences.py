# SPDX-License-Identifier: GPL-3.0-or-later
"""Preferences: asked for, and used at once."""

from __future__ import annotations

from zolvek.studio.services.context import Studio
from zolvek.studio.session import settings as stored
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.text_size import use_text_size


def edit(studio: Studio) -> None:
    """Show the preferences, and use what is changed there."""
    from zolvek.studio.services.playback.audio_output import output_names
    from zolvek.studio.views.windows.preferences_dialog import PreferencesDialog

    session, settings = studio.session, studio.session.settings
    dialog = studio.ask.filled(lambda over: PreferencesDialog(settings, output_names(), over))
    if dialog is None:
        return
    changed = dialog.apply()
    if "window.theme" in changed:
        settings.window.follow_desktop = False
    if changed & {"playback.device", "playback.buffer_frames"} and studio.player.made is None:
        studio.player.go_through(None)
    if "window.text_percent" in changed:
        use_text_size(settings.window.text_percent)
        themes.put_on(themes.THEMES[settings.window.theme])
    session.tools.changed.emit()
    session.look.changed.emit()
    stored.save(settings)
