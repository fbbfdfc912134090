// SPDX-License-Identifier: GPL-3.0-or-later
/* A plugin of the LV2 interface that gives its sound LATE frames late, and says so. */
#include <stdint.h>
#include <stdlib.h>
typedef struct { const char* uri; void* (*instantiate)(const void*, double, const char*, const void*);
                 void (*connect_port)(void*, uint32_t, void*); void (*activate)(void*); void (*run)(void*, uint32_t);
                 void (*deactivate)(void*); void (*cleanup)(void*); const void* (*extension_data)(const char*); } Descriptor;
#ifndef MORE
#define MORE 0 /* frames that it is later by while its control is above a half */
#endif
typedef struct { float* port[4]; float kept[LATE + MORE]; uint32_t at, late; } Self;
static void* instantiate(const void* d, double rate, const char* path, const void* features) {
  (void)d; (void)rate; (void)path; (void)features; return calloc(1, sizeof(Self));
}
static void connect_port(void* self, uint32_t port, void* data) { if (port < 4) ((Self*)self)->port[port] = data; }
static void run(void* me, uint32_t frames) {
  Self* self = me;
  uint32_t late = LATE + (MORE && self->port[3] && *self->port[3] > 0.5f ? MORE : 0), all = LATE + MORE;
  /* Nothing is said before it has been given frames, as limiters do. */
  if (frames) *self->port[0] = late;
  for (uint32_t i = 0; i < frames; ++i) {
    float now = self->port[1][i];
    self->port[2][i] = self->kept[(self->at + all - late) % all];
    self->kept[self->at] = now;
    self->at = (self->at + 1) % all;
  }
}
static void cleanup(void* self) { free(self); }
static const void* extension_data(const char* uri) { (void)uri; return NULL; }
static const Descriptor descriptor = {URI, instantiate, connect_port, NULL, run, NULL, cleanup, extension_data};
__attribute__((visibility("default"))) const Descriptor* lv2_descriptor(uint32_t index) { return index ? NULL : &descriptor; }
