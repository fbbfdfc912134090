// SPDX-License-Identifier: GPL-3.0-or-later
/* A plugin of the LV2 interface (lv2/state/state.h, 1.18) that gives its input times a number it holds beyond its ports,
   and its side-chain's sound. What it never sets it takes as it finds it. */
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
typedef struct { const char* uri; void* (*instantiate)(const void*, double, const char*, const void* const*);
                 void (*connect_port)(void*, uint32_t, void*); void (*activate)(void*); void (*run)(void*, uint32_t);
                 void (*deactivate)(void*); void (*cleanup)(void*); const void* (*extension_data)(const char*); } Descriptor;
typedef struct { const char* uri; void* data; } Feature;
typedef struct { void* handle; uint32_t (*map)(void*, const char*); } Map;
typedef struct { void* handle; int (*printf)(void*, uint32_t, const char*, ...); } Log;
typedef const void* (*Retrieve)(void*, uint32_t, size_t*, uint32_t*, uint32_t*);
typedef uint32_t (*Store)(void*, uint32_t, const void*, size_t, uint32_t, uint32_t);
typedef struct { float* port[3]; float louder, never_set[64]; Map* map; } Self;
static void* instantiate(const void* d, double rate, const char* path, const void* const* features) {
  (void)d; (void)rate; (void)path;
  Self* self = malloc(sizeof(Self));
  self->louder = 1.0f;
  for (; *features; ++features) {
    const Feature* f = *features;
    if (!strcmp(f->uri, "http://lv2plug.in/ns/ext/urid#map")) self->map = f->data;
    if (!strcmp(f->uri, "http://lv2plug.in/ns/ext/log#log")) { Log* log = f->data; log->printf(log->handle, 0, "%d of %s, %f", 3, "many", 1.5); }
  }
  return self;
}
static void connect_port(void* self, uint32_t port, void* data) { if (port < 3) ((Self*)self)->port[port] = data; }
static void run(void* me, uint32_t frames) {
  Self* self = me;
  for (uint32_t i = 0; i < frames; ++i) self->port[1][i] = self->louder * self->port[0][i] + self->port[2][i] + self->never_set[i % 64];
}
static void cleanup(void* self) { free(self); }
static uint32_t number(Self* self, const char* uri) { return self->map->map(self->map->handle, uri); }
static uint32_t save(void* me, Store store, void* handle, uint32_t flags, const void* features) {
  (void)flags; (void)features; Self* self = me;
  return store(handle, number(self, "http://zolvek.org/held#louder"), &self->louder, 4, number(self, "http://lv2plug.in/ns/ext/atom#Float"), 1);
}
static uint32_t restore(void* me, Retrieve retrieve, void* handle, uint32_t flags, const void* features) {
  (void)flags; (void)features; Self* self = me; size_t size; uint32_t type, how;
  const float* found = retrieve(handle, number(self, "http://zolvek.org/held#louder"), &size, &type, &how);
  if (found && size == 4) self->louder = *found;
  return 0;
}
static const struct { uint32_t (*save)(void*, Store, void*, uint32_t, const void*); uint32_t (*restore)(void*, Retrieve, void*, uint32_t, const void*); } state = {save, restore};
static const void* extension_data(const char* uri) { return strcmp(uri, "http://lv2plug.in/ns/ext/state#interface") ? NULL : &state; }
static const Descriptor descriptor = {"http://zolvek.org/held", instantiate, connect_port, NULL, run, NULL, cleanup, extension_data};
__attribute__((visibility("default"))) const Descriptor* lv2_descriptor(uint32_t index) { return index ? NULL : &descriptor; }
