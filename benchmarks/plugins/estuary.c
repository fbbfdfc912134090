/* SPDX-License-Identifier: GPL-3.0-or-later
   Estuary: a state-variable filter that drifts, with drive. One of the two plugins that pictures show. */
#include <math.h>
#include <stdint.h>
#include <stdlib.h>

#include "descriptor.h"

enum { CUTOFF, RESONANCE, DRIVE, DRIFT, PACE, TILT, MIX, LEVEL, IN_LEFT, IN_RIGHT, OUT_LEFT, OUT_RIGHT, PORTS };

typedef struct {
    float *port[PORTS];
    double rate, phase, low[2], band[2];
} Estuary;

static void *instantiate(const Descriptor *d, double rate, const char *path, const Feature *const *features) {
    Estuary *e = calloc(1, sizeof(Estuary));
    e->rate = rate;
    return e;
}

static void connect(void *handle, uint32_t port, void *data) { ((Estuary *)handle)->port[port] = data; }

static void activate(void *handle) {
    Estuary *e = handle;
    e->phase = e->low[0] = e->low[1] = e->band[0] = e->band[1] = 0.0;
}

static void run(void *handle, uint32_t frames) {
    Estuary *e = handle;
    const double gain = pow(10.0, *e->port[LEVEL] / 20.0), drive = pow(10.0, *e->port[DRIVE] / 20.0);
    const double damp = 2.0 - 1.9 * *e->port[RESONANCE] / 100.0, mix = *e->port[MIX] / 100.0;
    for (uint32_t i = 0; i < frames; i++) {
        e->phase += 2.0 * M_PI * *e->port[PACE] / e->rate;
        if (e->phase > 2.0 * M_PI) e->phase -= 2.0 * M_PI;
        const double octaves = *e->port[DRIFT] / 100.0 * sin(e->phase) + *e->port[TILT] / 100.0;
        const double hertz = fmin(*e->port[CUTOFF] * pow(2.0, octaves), 0.2 * e->rate);
        const double f = 2.0 * sin(M_PI * hertz / e->rate);
        for (int side = 0; side < 2; side++) {
            const double dry = e->port[IN_LEFT + side][i], in = tanh(drive * dry);
            e->low[side] += f * e->band[side];
            const double high = in - e->low[side] - damp * e->band[side];
            e->band[side] += f * high;
            e->port[OUT_LEFT + side][i] = (float)(gain * (dry + mix * (e->low[side] - dry)));
        }
    }
}

static void cleanup(void *handle) { free(handle); }

static const Descriptor ESTUARY = {URI, instantiate, connect, activate, run, 0, cleanup, 0};

const Descriptor *lv2_descriptor(uint32_t index) { return index == 0 ? &ESTUARY : 0; }
