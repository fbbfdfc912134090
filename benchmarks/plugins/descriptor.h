/* SPDX-License-Identifier: GPL-3.0-or-later
   What an LV2 plugin gives its host (lv2core 1.18, "lv2/core/lv2.h"): as much of it as these use. */
#pragma once
#include <stdint.h>

typedef struct Feature Feature;
typedef struct Descriptor Descriptor;
struct Descriptor {
    const char *uri;
    void *(*instantiate)(const Descriptor *, double, const char *, const Feature *const *);
    void (*connect)(void *, uint32_t, void *);
    void (*activate)(void *);
    void (*run)(void *, uint32_t);
    void (*deactivate)(void *);
    void (*cleanup)(void *);
    const void *(*extension)(const char *);
};
