# SPDX-License-Identifier: GPL-3.0-or-later
"""The project file's JSON Schema, made from the model itself; docs/project.schema.json is it."""

from __future__ import annotations

from typing import Any

import numpy as np

from zolvek.core.curve.shapes import SHAPES
from zolvek.core.model.project import Project
from zolvek.core.records import UNKNOWN
from zolvek.formats.project.project_file import FORMAT, VERSION


def schema() -> dict[str, Any]:
    """JSON Schema, draft 2020-12."""
    import msgspec

    (project,), components = msgspec.json.schema_components(
        (Project,), schema_hook=_hook, ref_template="#/$defs/{name}"
    )
    for row in components.values():
        row.get("properties", {}).pop(UNKNOWN, None)
    # The hook is not given which kind of array it is; the shapes' is this one.
    names = {"type": "array", "items": {"enum": [shape.key for shape in SHAPES]}}
    components["Curve"]["properties"]["shape"] = names
    part = {"type": "array", "items": {"type": "number"}, "minItems": 3, "maxItems": 3}
    components["Curve"]["properties"]["part"] = {"type": "array", "items": part}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Zolvek project",
        "type": "object",
        "properties": {
            "format": {"const": FORMAT},
            "version": {"type": "integer", "minimum": 1, "maximum": VERSION},
            "minor": {"type": "integer", "minimum": 0},
            "project": project,
        },
        "required": ["format", "version", "project"],
        "$defs": components,
    }


def _hook(kind: Any) -> dict[str, Any]:
    if getattr(kind, "__origin__", kind) is np.ndarray:
        return {"type": "array", "items": {"type": "number"}}
    raise NotImplementedError(kind)
