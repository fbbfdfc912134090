// SPDX-License-Identifier: GPL-3.0-or-later
/* A plugin of the LV2 interface (lv2/core/lv2.h, 1.18) that misbehaves as WAY says, once its control is above a half. */
#include <signal.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>
#include <math.h>

typedef struct { const char* uri; void* (*instantiate)(const void*, double, const char*, const void*);
                 void (*connect_port)(void*, uint32_t, void*); void (*activate)(void*); void (*run)(void*, uint32_t);
                 void (*deactivate)(void*); void (*cleanup)(void*); const void* (*extension_data)(const char*); } Descriptor;
typedef struct { float* port[3]; } Self;

static void* instantiate(const void* d, double rate, const char* path, const void* features) {
  (void)d; (void)rate; (void)path; (void)features;
  if (WAY == 5) abort();
  if (WAY == 6) return NULL;
  if (WAY == 10 && fork() == 0) { sleep(60); _exit(0); }
  return calloc(1, sizeof(Self));
}
static void connect_port(void* self, uint32_t port, void* data) { if (port < 3) ((Self*)self)->port[port] = data; }
static void run(void* me, uint32_t frames) {
  Self* self = me;
  volatile int zero = 0;
  for (uint32_t i = 0; i < frames; ++i) self->port[2][i] = self->port[1][i];
  static int said;
  if (WAY == 4 && !said++) { printf("a plugin prints\n"); fflush(stdout); }
  if (*self->port[0] < 0.5f) return;
  switch (WAY) {
    case 0: *(volatile int*)zero = 1; break;
    case 1: raise(SIGFPE); break;
    case 2: for (;;) usleep(1000);
    case 3: for (uint32_t i = 0; i < frames; ++i) self->port[2][i] = NAN; break;
    case 7: exit(0);
    case 8: for (;;) ++zero;
    case 9: abort();
  }
}
static void cleanup(void* self) { free(self); }
static const void* extension_data(const char* uri) { (void)uri; return NULL; }
static const Descriptor descriptor = {URI, instantiate, connect_port, NULL, run, NULL, cleanup, extension_data};
__attribute__((visibility("default"))) const Descriptor* lv2_descriptor(uint32_t index) { return index ? NULL : &descriptor; }
