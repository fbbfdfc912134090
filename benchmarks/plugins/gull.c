/* SPDX-License-Identifier: GPL-3.0-or-later
   Gull: a short echo that swings from side to side. One of the two plugins that pictures show. */
#include <math.h>
#include <stdint.h>
#include <stdlib.h>

#include "descriptor.h"

enum { TIME, FEEDBACK, SWING, MIX, IN_LEFT, IN_RIGHT, OUT_LEFT, OUT_RIGHT, PORTS };
enum { LINE = 1 << 17 };

typedef struct {
    float *port[PORTS], line[2][LINE];
    double rate;
    uint32_t at;
} Gull;

static void *instantiate(const Descriptor *d, double rate, const char *path, const Feature *const *features) {
    Gull *g = calloc(1, sizeof(Gull));
    g->rate = rate;
    return g;
}

static void connect(void *handle, uint32_t port, void *data) { ((Gull *)handle)->port[port] = data; }

static void run(void *handle, uint32_t frames) {
    Gull *g = handle;
    const uint32_t delay = (uint32_t)fmin(*g->port[TIME] * 0.001 * g->rate, LINE - 1);
    const double back = *g->port[FEEDBACK] / 100.0, swing = *g->port[SWING] / 100.0, mix = *g->port[MIX] / 100.0;
    for (uint32_t i = 0; i < frames; i++, g->at++) {
        const uint32_t then = (g->at - delay) & (LINE - 1), now = g->at & (LINE - 1);
        const double heard[2] = {g->line[0][then], g->line[1][then]};
        for (int side = 0; side < 2; side++) {
            const double in = g->port[IN_LEFT + side][i];
            const double from = (1.0 - swing) * heard[side] + swing * heard[1 - side];
            g->line[side][now] = (float)(in + back * from);
            g->port[OUT_LEFT + side][i] = (float)(in + mix * (from - in));
        }
    }
}

static void cleanup(void *handle) { free(handle); }

static const Descriptor GULL = {URI, instantiate, connect, 0, run, 0, cleanup, 0};

const Descriptor *lv2_descriptor(uint32_t index) { return index == 0 ? &GULL : 0; }
