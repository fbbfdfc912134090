# SPDX-License-Identifier: GPL-3.0-or-later
"""Two small LV2 plugins of our own, for pictures and tests: no name in them belongs to anybody else."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path
from typing import NamedTuple

from zolvek.core.errors import ZolvekError

SOURCES = Path(__file__).resolve().parent / "plugins"
PREFIXES = (
    "@prefix lv2: <http://lv2plug.in/ns/lv2core#> . @prefix doap: <http://usefulinc.com/ns/doap#> .\n"
    "@prefix foaf: <http://xmlns.com/foaf/0.1/> . @prefix pset: <http://lv2plug.in/ns/ext/presets#> .\n"
    "@prefix rdfs: <http://www.w3.org/2000/01/rdf-schema#> .\n"
    "@prefix units: <http://lv2plug.in/ns/extensions/units#> .\n"
    "@prefix pprops: <http://lv2plug.in/ns/ext/port-props#> .\n"
)
Control = tuple[str, str, float, float, float, str]  # symbol, name, lowest, highest, default, unit


class OwnPlugin(NamedTuple):
    """A plugin's C file, its name, kind (a class of LV2), controls and presets (values in the controls' order)."""

    source: str
    name: str
    kind: str
    controls: tuple[Control, ...]
    presets: dict[str, tuple[float, ...]]

    @property
    def uri(self) -> str:
        """What LV2 calls it."""
        return f"urn:zolvek:{self.source}"


ESTUARY = OwnPlugin(
    "estuary", "Estuary", "FilterPlugin",
    (("cutoff", "Cutoff", 40.0, 12_000.0, 900.0, "hz"), ("resonance", "Resonance", 0.0, 100.0, 20.0, "pc"),
     ("drive", "Drive", 0.0, 24.0, 3.0, "db"), ("drift", "Drift depth", 0.0, 100.0, 10.0, "pc"),
     ("pace", "Drift pace", 0.05, 8.0, 0.3, "hz"), ("tilt", "Tilt", -100.0, 100.0, 0.0, "pc"),
     ("mix", "Mix", 0.0, 100.0, 100.0, "pc"), ("level", "Level", -24.0, 12.0, 0.0, "db")),
    {"Low tide": (180.0, 35.0, 9.0, 4.0, 0.12, -30.0, 100.0, 2.0),
     "Spring flood": (4_200.0, 62.0, 14.0, 48.0, 2.4, 35.0, 85.0, -3.0),
     "Slack water": (700.0, 8.0, 0.0, 0.0, 0.3, 0.0, 60.0, 0.0)},
)  # fmt: skip
GULL = OwnPlugin(
    "gull", "Gull", "DelayPlugin",
    (("time", "Time", 5.0, 900.0, 240.0, "ms"), ("feedback", "Feedback", 0.0, 95.0, 40.0, "pc"),
     ("swing", "Swing", 0.0, 100.0, 100.0, "pc"), ("mix", "Mix", 0.0, 100.0, 30.0, "pc")),
    {"Over the pier": (310.0, 55.0, 100.0, 35.0), "Close by": (40.0, 15.0, 40.0, 20.0)},
)  # fmt: skip
PLUGINS = (ESTUARY, GULL)


def compiled(folder: Path) -> None:
    """A bundle for each, in a folder of bundles. Raises ZolvekError without a C compiler."""
    if shutil.which("cc") is None:
        raise ZolvekError("There is no C compiler to make plugins with.", "cc")
    for plugin in PLUGINS:
        bundle = folder / f"{plugin.source}.lv2"
        bundle.mkdir(parents=True)
        words = ["cc", "-w", "-shared", "-fPIC", "-O2", f'-DURI="{plugin.uri}"', str(SOURCES / f"{plugin.source}.c")]
        subprocess.run([*words, "-o", str(bundle / "plugin.so"), "-lm"], check=True)
        presets = "".join(
            f"<{plugin.uri}:{number}> a pset:Preset ; lv2:appliesTo <{plugin.uri}> ; rdfs:seeAlso <plugin.ttl> .\n"
            for number in range(len(plugin.presets))
        )
        about = f"<{plugin.uri}> a lv2:Plugin ; lv2:binary <plugin.so> ; rdfs:seeAlso <plugin.ttl> .\n"
        (bundle / "manifest.ttl").write_text(PREFIXES + about + presets)
        (bundle / "plugin.ttl").write_text(PREFIXES + _description(plugin))


def _description(plugin: OwnPlugin) -> str:
    ports = []
    for number, (symbol, name, low, high, default, unit) in enumerate(plugin.controls):
        octaves = " ; lv2:portProperty pprops:logarithmic" if unit == "hz" else ""
        ports.append(
            f'[ a lv2:ControlPort, lv2:InputPort ; lv2:index {number} ; lv2:symbol "{symbol}" ; lv2:name "{name}" ; '
            f"lv2:minimum {low} ; lv2:maximum {high} ; lv2:default {default} ; units:unit units:{unit}{octaves} ]"
        )
    first = len(plugin.controls)
    for number, (kind, symbol) in enumerate(
        (("InputPort", "in_left"), ("InputPort", "in_right"), ("OutputPort", "out_left"), ("OutputPort", "out_right"))
    ):
        ports.append(
            f"[ a lv2:AudioPort, lv2:{kind} ; lv2:index {first + number} ; "
            f'lv2:symbol "{symbol}" ; lv2:name "{symbol}" ]'
        )
    about = (
        f'<{plugin.uri}> a lv2:Plugin, lv2:{plugin.kind} ; doap:name "{plugin.name}" ; '
        f'doap:license <https://spdx.org/licenses/GPL-3.0-or-later> ; doap:maintainer [ foaf:name "Zolvek" ] ; '
        f"lv2:port {' , '.join(ports)} .\n"
    )
    for number, (name, values) in enumerate(plugin.presets.items()):
        rows = " , ".join(
            f'[ lv2:symbol "{control[0]}" ; pset:value {value} ]'
            for control, value in zip(plugin.controls, values, strict=True)
        )
        about += (
            f"<{plugin.uri}:{number}> a pset:Preset ; lv2:appliesTo <{plugin.uri}> ; "
            f'rdfs:label "{name}" ; lv2:port {rows} .\n'
        )
    return about
