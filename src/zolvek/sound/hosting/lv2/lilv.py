# SPDX-License-Identifier: GPL-3.0-or-later
"""lilv by cffi, in ABI mode: no compiler is needed. Loaded when the first plugin is asked for."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from zolvek.core.errors import Failure

NAMES = ("liblilv-0.so.0", "lilv-0")
# Of lilv/lilv.h (0.24) and the LV2 headers core, urid, options, worker, log, state and atom (1.18).
DECLARED = """
typedef struct LilvWorldImpl LilvWorld; typedef struct LilvNodeImpl LilvNode;
typedef struct LilvPluginImpl LilvPlugin; typedef struct LilvPortImpl LilvPort;
typedef struct LilvPluginClassImpl LilvPluginClass; typedef struct LilvScalePointImpl LilvScalePoint;
typedef struct LilvStateImpl LilvState;
typedef void LilvPlugins; typedef void LilvNodes; typedef void LilvScalePoints; typedef void LilvIter;
typedef struct { const char* URI; void* data; } LV2_Feature;
typedef void* LV2_Handle;
typedef struct {
  const char* URI;
  LV2_Handle (*instantiate)(const void*, double, const char*, const LV2_Feature* const*);
  void (*connect_port)(LV2_Handle, uint32_t, void*);
  void (*activate)(LV2_Handle);
  void (*run)(LV2_Handle, uint32_t);
  void (*deactivate)(LV2_Handle);
  void (*cleanup)(LV2_Handle);
  const void* (*extension_data)(const char*);
} LV2_Descriptor;
typedef struct { const LV2_Descriptor* lv2_descriptor; LV2_Handle lv2_handle; void* pimpl; } LilvInstance;
typedef struct { void* handle; uint32_t (*map)(void*, const char*); } LV2_URID_Map;
typedef struct { void* handle; const char* (*unmap)(void*, uint32_t); } LV2_URID_Unmap;
typedef struct { int context; uint32_t subject; uint32_t key; uint32_t size; uint32_t type; const void* value; }
LV2_Options_Option;
typedef struct { void* handle; int (*printf)(void*, uint32_t, const char*, ...); int (*vprintf)(void*, uint32_t, const
char*, void*); } LV2_Log_Log;
typedef struct { void* handle; char* (*abstract_path)(void*, const char*); char* (*absolute_path)(void*, const char*);
} LV2_State_Map_Path;
typedef struct { void* handle; char* (*path)(void*, const char*); } LV2_State_Make_Path;
typedef struct { void* handle; void (*free_path)(void*, char*); } LV2_State_Free_Path;
typedef struct { void* handle; int (*schedule_work)(void*, uint32_t, const void*); } LV2_Worker_Schedule;
typedef struct {
  int (*work)(LV2_Handle, int (*respond)(void*, uint32_t, const void*), void*, uint32_t, const void*);
  int (*work_response)(LV2_Handle, uint32_t, const void*);
  int (*end_run)(LV2_Handle);
} LV2_Worker_Interface;
LilvWorld* lilv_world_new(void);
void lilv_world_free(LilvWorld*);
void lilv_world_load_bundle(LilvWorld*, const LilvNode*);
int lilv_world_load_resource(LilvWorld*, const LilvNode*);
LilvNode* lilv_world_get(LilvWorld*, const LilvNode*, const LilvNode*, const LilvNode*);
const LilvPlugins* lilv_world_get_all_plugins(const LilvWorld*);
LilvIter* lilv_plugins_begin(const LilvPlugins*);
LilvIter* lilv_plugins_next(const LilvPlugins*, LilvIter*);
bool lilv_plugins_is_end(const LilvPlugins*, LilvIter*);
const LilvPlugin* lilv_plugins_get(const LilvPlugins*, LilvIter*);
const LilvPlugin* lilv_plugins_get_by_uri(const LilvPlugins*, const LilvNode*);
LilvNode* lilv_new_bool(LilvWorld*, bool);
void lilv_world_set_option(LilvWorld*, const char*, const LilvNode*);
LilvNodes* lilv_world_find_nodes(LilvWorld*, const LilvNode*, const LilvNode*, const LilvNode*);
LilvNode* lilv_new_uri(LilvWorld*, const char*);
LilvNode* lilv_new_file_uri(LilvWorld*, const char*, const char*);
void lilv_node_free(LilvNode*);
const char* lilv_node_as_string(const LilvNode*);
float lilv_node_as_float(const LilvNode*);
bool lilv_node_is_uri(const LilvNode*);
const LilvNode* lilv_plugin_get_uri(const LilvPlugin*);
const LilvNode* lilv_plugin_get_bundle_uri(const LilvPlugin*);
const LilvNode* lilv_plugin_get_library_uri(const LilvPlugin*);
LilvNode* lilv_plugin_get_name(const LilvPlugin*);
LilvNode* lilv_plugin_get_author_name(const LilvPlugin*);
const LilvPluginClass* lilv_plugin_get_class(const LilvPlugin*);
const LilvNode* lilv_plugin_class_get_uri(const LilvPluginClass*);
uint32_t lilv_plugin_get_num_ports(const LilvPlugin*);
const LilvPort* lilv_plugin_get_port_by_index(const LilvPlugin*, uint32_t);
void lilv_plugin_get_port_ranges_float(const LilvPlugin*, float*, float*, float*);
LilvNodes* lilv_plugin_get_required_features(const LilvPlugin*);
LilvNodes* lilv_plugin_get_value(const LilvPlugin*, const LilvNode*);
typedef void LilvUIs; typedef struct LilvUIImpl LilvUI;
LilvUIs* lilv_plugin_get_uis(const LilvPlugin*);
LilvIter* lilv_uis_begin(const LilvUIs*);
LilvIter* lilv_uis_next(const LilvUIs*, LilvIter*);
bool lilv_uis_is_end(const LilvUIs*, LilvIter*);
const LilvUI* lilv_uis_get(const LilvUIs*, LilvIter*);
void lilv_uis_free(LilvUIs*);
const LilvNode* lilv_ui_get_uri(const LilvUI*);
bool lilv_ui_is_a(const LilvUI*, const LilvNode*);
const LilvNode* lilv_ui_get_bundle_uri(const LilvUI*);
const LilvNode* lilv_ui_get_binary_uri(const LilvUI*);
LilvNodes* lilv_plugin_get_related(const LilvPlugin*, const LilvNode*);
const LilvNode* lilv_port_get_symbol(const LilvPlugin*, const LilvPort*);
LilvNode* lilv_port_get_name(const LilvPlugin*, const LilvPort*);
bool lilv_port_is_a(const LilvPlugin*, const LilvPort*, const LilvNode*);
bool lilv_port_has_property(const LilvPlugin*, const LilvPort*, const LilvNode*);
bool lilv_port_supports_event(const LilvPlugin*, const LilvPort*, const LilvNode*);
LilvNode* lilv_port_get(const LilvPlugin*, const LilvPort*, const LilvNode*);
LilvScalePoints* lilv_port_get_scale_points(const LilvPlugin*, const LilvPort*);
LilvIter* lilv_scale_points_begin(const LilvScalePoints*);
LilvIter* lilv_scale_points_next(const LilvScalePoints*, LilvIter*);
bool lilv_scale_points_is_end(const LilvScalePoints*, LilvIter*);
const LilvScalePoint* lilv_scale_points_get(const LilvScalePoints*, LilvIter*);
void lilv_scale_points_free(LilvScalePoints*);
const LilvNode* lilv_scale_point_get_label(const LilvScalePoint*);
const LilvNode* lilv_scale_point_get_value(const LilvScalePoint*);
LilvIter* lilv_nodes_begin(const LilvNodes*);
LilvIter* lilv_nodes_next(const LilvNodes*, LilvIter*);
bool lilv_nodes_is_end(const LilvNodes*, LilvIter*);
const LilvNode* lilv_nodes_get(const LilvNodes*, LilvIter*);
void lilv_nodes_free(LilvNodes*);
LilvState* lilv_state_new_from_world(LilvWorld*, LV2_URID_Map*, const LilvNode*);
typedef const void* (*LilvGetPortValueFunc)(const char*, void*, uint32_t*, uint32_t*);
LilvState* lilv_state_new_from_instance(const LilvPlugin*, LilvInstance*, LV2_URID_Map*, const char*, const char*,
const char*, const char*, LilvGetPortValueFunc, void*, uint32_t, const LV2_Feature* const*);
LilvState* lilv_state_new_from_string(LilvWorld*, LV2_URID_Map*, const char*);
char* lilv_state_to_string(LilvWorld*, LV2_URID_Map*, LV2_URID_Unmap*, const LilvState*, const char*, const char*);
unsigned lilv_state_get_num_properties(const LilvState*);
void lilv_free(void*);
char* strdup(const char*);
void free(void*);
void lilv_state_free(LilvState*);
typedef void (*LilvSetPortValueFunc)(const char*, void*, const void*, uint32_t, uint32_t);
void lilv_state_emit_port_values(const LilvState*, LilvSetPortValueFunc, void*);
void lilv_state_restore(const LilvState*, LilvInstance*, LilvSetPortValueFunc, void*, uint32_t, const LV2_Feature*
const*);
LilvInstance* lilv_plugin_instantiate(const LilvPlugin*, double, const LV2_Feature* const*);
void lilv_instance_free(LilvInstance*);
"""
HOW_TO_HAVE_IT = "Install lilv: apt install liblilv-0-0"


@lru_cache(maxsize=1)
def loaded() -> tuple[Any, Any]:
    """cffi's interface and the library. Raises Failure where the system has none."""
    from cffi import FFI

    ffi = FFI()
    ffi.cdef(DECLARED)
    for name in NAMES:
        try:
            return ffi, ffi.dlopen(name)
        except OSError:
            continue
    raise Failure(
        "LV2 plugins need the library lilv, which is not installed.",
        "liblilv-0",
        f"{HOW_TO_HAVE_IT}.",
    )


class Urids:
    """Numbers for URIs, as the LV2 URID extension has hosts give them: the same for all plugins."""

    def __init__(self) -> None:
        ffi, _ = loaded()
        self.numbers: dict[bytes, int] = {}
        self.texts: list[Any] = []

        @ffi.callback("uint32_t(void*, const char*)")
        def number(_: Any, uri: Any) -> int:
            return self.of(ffi.string(uri))

        @ffi.callback("const char*(void*, uint32_t)")
        def text(_: Any, number: int) -> Any:
            return self.texts[number - 1] if 0 < number <= len(self.texts) else ffi.NULL

        self.kept = number, text
        self.map = ffi.new("LV2_URID_Map*", {"map": number})
        self.unmap = ffi.new("LV2_URID_Unmap*", {"unmap": text})

    def of(self, uri: bytes | str) -> int:
        """The number of a URI (LV2 URID)."""
        ffi, _ = loaded()
        key = uri.encode() if isinstance(uri, str) else uri
        if key not in self.numbers:
            self.texts.append(ffi.new("char[]", key))
            self.numbers[key] = len(self.texts)
        return self.numbers[key]


@lru_cache(maxsize=1)
def urids() -> Urids:
    """The one map of URIs of this process."""
    return Urids()
