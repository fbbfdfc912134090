/* SPDX-License-Identifier: GPL-3.0-or-later
 * A plugin with one control, and its window (LV2 core and ui extension 1.18): the window moves the control by itself
 * once, and writes what it is shown into the file that LOG names. With -DHANGS=1 it never comes up. */
#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>
typedef struct { const char *uri; void *(*make)(const void *, double, const char *, const void *const *);
  void (*connect)(void *, uint32_t, void *); void (*begin)(void *); void (*run)(void *, uint32_t); void (*end)(void *);
  void (*free)(void *); const void *(*more)(const char *); } Descriptor;
typedef void (*Write)(void *, uint32_t, uint32_t, uint32_t, const void *);
typedef struct { const char *uri; void *(*make)(const void *, const char *, const char *, Write, void *, void **,
  const void *const *); void (*cleanup)(void *); void (*event)(void *, uint32_t, uint32_t, uint32_t, const void *);
  const void *(*more)(const char *); } Window;
typedef struct { const char *uri; void *data; } Feature;
typedef struct { float *ports[3]; } Here;
static void *make(const void *d, double r, const char *p, const void *const *f) { return calloc(1, sizeof(Here)); }
static void connect(void *h, uint32_t port, void *data) { ((Here *)h)->ports[port] = data; }
static void run(void *h, uint32_t n) { Here *here = h;
  for (uint32_t i = 0; i < n; i++) here->ports[2][i] = here->ports[1][i] * *here->ports[0]; }
static const Descriptor here = {URI, make, connect, NULL, run, NULL, free, NULL};
const Descriptor *lv2_descriptor(uint32_t index) { return index ? NULL : &here; }

extern void *XOpenDisplay(const char *);
extern unsigned long XCreateSimpleWindow(void *, unsigned long, int, int, unsigned, unsigned, unsigned, unsigned long,
  unsigned long);
extern int XMapWindow(void *, unsigned long);
extern int XFlush(void *);
typedef struct { void *display, *controller; Write write; int idled; } Seen;
static void *show(const void *d, const char *plugin, const char *path, Write write, void *controller, void **widget,
                  const void *const *features) {
  Seen *seen = calloc(1, sizeof(Seen));
  while (HANGS) sleep(1);
  seen->display = XOpenDisplay(NULL); seen->write = write; seen->controller = controller;
  for (; *features; features++) { const Feature *feature = *features;
    if (!strcmp(feature->uri, "http://lv2plug.in/ns/extensions/ui#parent")) {
      unsigned long child = XCreateSimpleWindow(seen->display, (unsigned long)feature->data, 0, 0, 200, 90, 0, 0, 0xC9412B);
      XMapWindow(seen->display, child); XFlush(seen->display); *widget = (void *)child; } }
  return seen;
}
static void event(void *s, uint32_t port, uint32_t size, uint32_t protocol, const void *data) {
  FILE *log = fopen(LOG, "a"); fprintf(log, "%u %.4f\n", port, protocol ? -1.0 : *(const float *)data); fclose(log); }
static int idle(void *s) { Seen *seen = s; float value = 0.75f;
  if (++seen->idled == 5) seen->write(seen->controller, 0, 4, 0, &value);
  return 0; }
static const struct { int (*idle)(void *); } idles = {idle};
static const void *more(const char *uri) { return strstr(uri, "idleInterface") ? &idles : NULL; }
static const Window window = {URI "#window", show, free, event, more};
const Window *lv2ui_descriptor(uint32_t index) { return index ? NULL : &window; }
