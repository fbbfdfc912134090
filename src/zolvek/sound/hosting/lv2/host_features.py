# SPDX-License-Identifier: GPL-3.0-or-later
"""Host features for plugins: logging, and where to store files."""

from __future__ import annotations

import os
import re
from collections.abc import Sequence
from hashlib import blake2b
from pathlib import Path
from typing import Any

from zolvek.sound.hosting.lv2.lilv import loaded
from zolvek.storage import folders

LOG, STATE = "http://lv2plug.in/ns/ext/log#log", "http://lv2plug.in/ns/ext/state#"
URIS = (LOG, f"{STATE}mapPath", f"{STATE}makePath", f"{STATE}freePath")
# A path in a state's Turtle: a literal of the type Path, whatever its prefix is called, or a file's URI.
PATH_LITERAL = re.compile(r'"((?:[^"\\]|\\.)*)"(\s*\^\^\s*(?:<[^>]*#Path>|[\w-]*:Path\b))')
FILE_URI = re.compile(r"<file:[^>]*>")


def own_folder(uri: str) -> Path:
    """Where files that a plugin keeps lie."""
    return folders.data() / "plugin-files" / blake2b(uri.encode(), digest_size=8).hexdigest()


def inside(path: str, allowed: Sequence[Path]) -> str:
    """The path, where it lies in one of the folders; else its name alone in the last of them."""
    whole = Path(os.path.normpath(os.path.join(allowed[-1], path)))
    if any(whole.is_relative_to(folder) for folder in allowed):
        return str(whole)
    return str(allowed[-1] / (Path(path).name or "none"))


def within_reach(text: str, bundle: Path, uri: str) -> str:
    """A state as text, its paths kept to the plugin's own folders."""
    allowed = [bundle, own_folder(uri)]
    text = PATH_LITERAL.sub(lambda m: f'"{inside(m[1], allowed)}"{m[2]}', text)
    return FILE_URI.sub("<urn:zolvek:elsewhere>", text)


class Services:
    """For one instance. Paths that a state names are kept to the plugin's bundle and its own folder; files that it
    makes lie in the latter."""

    def __init__(self, bundle: Path, uri: str) -> None:
        ffi, _ = loaded()
        system = ffi.dlopen(None)
        folder = own_folder(uri)
        allowed = [bundle, folder]

        # What is logged has more arguments than these, which nobody reads: the calling conventions of the
        # machines there are leave them where they are.
        @ffi.callback("int(void*, uint32_t, const char*)")
        def logged(_: Any, kind: int, text: Any) -> int:
            return 0

        @ffi.callback("int(void*, uint32_t, const char*, void*)")
        def logged_list(_: Any, kind: int, text: Any, rest: Any) -> int:
            return 0

        @ffi.callback("char*(void*, const char*)")
        def kept(_: Any, path: Any) -> Any:
            text = ffi.string(path).decode(errors="surrogateescape")
            return system.strdup(inside(text, allowed).encode(errors="surrogateescape"))

        @ffi.callback("char*(void*, const char*)")
        def create(_: Any, path: Any) -> Any:
            name = ffi.string(path).decode(errors="surrogateescape")
            whole = Path(inside(name, [folder]))
            try:
                whole.parent.mkdir(parents=True, exist_ok=True)
            except OSError:
                return ffi.NULL
            return system.strdup(os.fsencode(whole))

        @ffi.callback("void(void*, char*)")
        def free(_: Any, path: Any) -> None:
            system.free(path)

        self.callbacks = logged, logged_list, kept, create, free
        variadic = ffi.cast("int (*)(void*, uint32_t, const char*, ...)", logged)
        structs = (
            ffi.new("LV2_Log_Log*", {"printf": variadic, "vprintf": logged_list}),
            ffi.new("LV2_State_Map_Path*", {"abstract_path": kept, "absolute_path": kept}),
            ffi.new("LV2_State_Make_Path*", {"path": create}),
            ffi.new("LV2_State_Free_Path*", {"free_path": free}),
        )
        self.rows: dict[str, Any] = dict(zip(URIS, structs, strict=True))
