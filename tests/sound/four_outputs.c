/* SPDX-License-Identifier: GPL-3.0-or-later
 * Four outputs, each the input at a level of its own, 100 frames late, which it says. With -DRESTLESS it says another
 * latency in every run. */
#include <stdint.h>
#include <stdlib.h>
#define LATE 100
#ifndef RESTLESS
#define RESTLESS 0
#endif
typedef struct { const char *uri; void *(*make)(const void *, double, const char *, const void *const *);
  void (*connect)(void *, uint32_t, void *); void (*begin)(void *); void (*run)(void *, uint32_t); void (*end)(void *);
  void (*free)(void *); const void *(*more)(const char *); } Descriptor;
typedef struct { float *ports[6]; float held[LATE]; int at; int runs; } Here;
static void *make(const void *d, double rate, const char *path, const void *const *features) {
  return calloc(1, sizeof(Here)); }
static void connect(void *h, uint32_t port, void *data) { ((Here *)h)->ports[port] = data; }
static void run(void *h, uint32_t frames) {
  Here *here = h;
  *here->ports[5] = RESTLESS ? (float)(here->runs++ * 37 % 500) : LATE;
  for (uint32_t i = 0; i < frames; i++) {
    float late = here->held[here->at];
    here->held[here->at] = here->ports[0][i];
    here->at = (here->at + 1) % LATE;
    for (int k = 0; k < 4; k++) here->ports[1 + k][i] = late * 0.125f * (k + 1);
  }
}
static const Descriptor here = {URI, make, connect, NULL, run, NULL, free, NULL};
const Descriptor *lv2_descriptor(uint32_t index) { return index ? NULL : &here; }
