// SPDX-License-Identifier: GPL-3.0-or-later
/* A plugin of the LV2 interface that plays what it is given of the song's time (lv2/time 1.6): as its sound, the number
   of the beat that it has counted on to by itself since the last position; at its second output, tempo and bar. */
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
typedef struct { const char* uri; void* (*instantiate)(const void*, double, const char*, const void*);
                 void (*connect_port)(void*, uint32_t, void*); void (*activate)(void*); void (*run)(void*, uint32_t);
                 void (*deactivate)(void*); void (*cleanup)(void*); const void* (*extension_data)(const char*); } Descriptor;
typedef struct { void* handle; uint32_t (*map)(void*, const char*); } Map;
typedef struct { const char* uri; void* data; } Feature;
#define TIME "http://lv2plug.in/ns/ext/time#"
#define ATOM "http://lv2plug.in/ns/ext/atom#"
typedef struct {
  float* port[6]; void* events; double rate, beat, bpm; float bar;
  uint32_t object, position, beat_key, bpm_key, bar_key;
} Self;
static void* instantiate(const void* d, double rate, const char* path, const void* features) {
  (void)d; (void)path;
  Self* self = calloc(1, sizeof(Self));
  self->rate = rate;
  for (const Feature* const* f = features; f && *f; ++f)
    if (!strcmp((*f)->uri, "http://lv2plug.in/ns/ext/urid#map")) {
      Map* m = (*f)->data;
      self->object = m->map(m->handle, ATOM "Object");
      self->position = m->map(m->handle, TIME "Position");
      self->beat_key = m->map(m->handle, TIME "beat");
      self->bpm_key = m->map(m->handle, TIME "beatsPerMinute");
      self->bar_key = m->map(m->handle, TIME "bar");
    }
  return self;
}
static void connect_port(void* me, uint32_t port, void* data) {
  Self* self = me;
  if (port == 0) self->events = data; else if (port < 6) self->port[port] = data;
}
static void read_position(Self* self, const uint8_t* body, uint32_t size) {
  uint32_t type; memcpy(&type, body + 4, 4);
  if (type != self->position) return;
  for (uint32_t at = 8; at + 16 <= size;) {
    uint32_t key, length; memcpy(&key, body + at, 4); memcpy(&length, body + at + 8, 4);
    const uint8_t* value = body + at + 16;
    if (key == self->beat_key) memcpy(&self->beat, value, 8);
    if (key == self->bpm_key) { float v; memcpy(&v, value, 4); self->bpm = v; }
    if (key == self->bar_key) { int64_t v; memcpy(&v, value, 8); self->bar = v; }
    at += 16 + (length + 7) / 8 * 8;
  }
}
static void run(void* me, uint32_t frames) {
  Self* self = me;
  const uint8_t* data = self->events;
  uint32_t size, at = 8, done = 0; memcpy(&size, data, 4);
  while (done <= frames) {
    uint32_t until = frames; int event = at + 16 <= 8 + size && at < 8 + size;
    if (event) { int64_t when; memcpy(&when, data + 8 + at - 0, 8); until = when < frames ? when : frames; }
    for (; done < until; ++done) {
      self->port[1][done] = self->beat / 1000.0;
      self->port[2][done] = self->bpm / 1000.0 + self->bar;
      self->beat += self->bpm / 60.0 / self->rate;
    }
    if (!event) break;
    uint32_t length, kind; memcpy(&length, data + 16 + at, 4); memcpy(&kind, data + 20 + at, 4);
    if (kind == self->object) read_position(self, data + 24 + at, length);
    at += 16 + (length + 7) / 8 * 8;
  }
  if (self->port[3]) self->port[1][0] += 0 * *self->port[3];
}
static void cleanup(void* self) { free(self); }
static const void* extension_data(const char* uri) { (void)uri; return NULL; }
static const Descriptor descriptor = {URI, instantiate, connect_port, NULL, run, NULL, cleanup, extension_data};
__attribute__((visibility("default"))) const Descriptor* lv2_descriptor(uint32_t index) { return index ? NULL : &descriptor; }
