"""What plugins may ask of their host besides: to log, and where to keep files."""

from __future__ import annotations

import os
import tempfile
from functools import lru_cache
from typing import Any

from zolvek.sound.lv2.library import loaded

LOG, STATE = "http://lv2plug.in/ns/ext/log#log", "http://lv2plug.in/ns/ext/state#"
URIS = (LOG, f"{STATE}mapPath", f"{STATE}makePath", f"{STATE}freePath")


class Services:
    """One for all plugins of a process. Files are kept where the system keeps what may go: a state tells
    of them by their place."""

    def __init__(self) -> None:
        ffi, _ = loaded()
        system = ffi.dlopen(None)
        folder = tempfile.gettempdir()

        # What is logged has more arguments than these, which nobody reads: the calling conventions of the
        # machines there are leave them where they are.
        @ffi.callback("int(void*, uint32_t, const char*)")
        def told(_: Any, kind: int, text: Any) -> int:
            return 0

        @ffi.callback("int(void*, uint32_t, const char*, void*)")
        def told_list(_: Any, kind: int, text: Any, rest: Any) -> int:
            return 0

        @ffi.callback("char*(void*, const char*)")
        def same(_: Any, path: Any) -> Any:
            return system.strdup(path)

        @ffi.callback("char*(void*, const char*)")
        def made(_: Any, path: Any) -> Any:
            whole = os.path.join(
                folder, os.path.basename(ffi.string(path).decode(errors="replace"))
            )
            return system.strdup(whole.encode())

        @ffi.callback("void(void*, char*)")
        def freed(_: Any, path: Any) -> None:
            system.free(path)

        self.kept = told, told_list, same, made, freed
        variadic = ffi.cast("int (*)(void*, uint32_t, const char*, ...)", told)
        structs = (
            ffi.new("LV2_Log_Log*", {"printf": variadic, "vprintf": told_list}),
            ffi.new("LV2_State_Map_Path*", {"abstract_path": same, "absolute_path": same}),
            ffi.new("LV2_State_Make_Path*", {"path": made}),
            ffi.new("LV2_State_Free_Path*", {"free_path": freed}),
        )
        self.rows: dict[str, Any] = dict(zip(URIS, structs, strict=True))


@lru_cache(maxsize=1)
def services() -> Services:
    return Services()
