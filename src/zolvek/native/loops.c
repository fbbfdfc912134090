/* SPDX-License-Identifier: GPL-3.0-or-later
 * Loops over samples. Each does what a plain one of Python does (the file is named before it), which a test holds it to;
 * what they are for and why is said there. */
#include <math.h>
#include <stdbool.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

typedef struct { double x, y, slope; } Line;
typedef struct { double first, last; } Window;
typedef struct { double x, y; bool is_upper; } Bound;
typedef struct { double x, y; } Corner;

#define INFINITE 1e300
#define SLACK 1e-12

static inline double clip(double value, double low, double high) {
  return value < low ? low : value > high ? high : value;
}

/* How many of `count` increasing numbers lie before `value`, or at it. */
static int64_t lower(const double *x, int64_t count, double value) {
  int64_t low = 0, high = count;
  while (low < high) {
    int64_t middle = (low + high) / 2;
    if (x[middle] < value) low = middle + 1; else high = middle;
  }
  return low;
}

static int64_t upper(const double *x, int64_t count, double value) {
  int64_t low = 0, high = count;
  while (low < high) {
    int64_t middle = (low + high) / 2;
    if (x[middle] <= value) low = middle + 1; else high = middle;
  }
  return low;
}

/* --- zolvek.core.curve.thinning_loops --- */

static int64_t link_ended(bool is_upper, int64_t i, const double *x, const double *edge, const double *inner, Line line,
                          Line *lines, Window *windows, int64_t links, Bound *ahead) {
  int64_t j = i > 0 ? i - 1 : 0;
  double gap0 = line.y + line.slope * (x[j] - line.x) - edge[j];
  double gap1 = line.y + line.slope * (x[i] - line.x) - edge[i];
  double share = gap0 != gap1 ? gap0 / (gap0 - gap1) : 0.0;
  double out = x[j] + clip(share, 0.0, 1.0) * (x[i] - x[j]);
  if (out < line.x) out = line.x;
  lines[links] = line;
  windows[links] = (Window){line.x, out};
  ahead[0] = (Bound){line.x, line.y, !is_upper};
  int64_t waiting = 1;
  for (int64_t m = upper(x, i, line.x); m < i; m++)
    if (x[m] < out) ahead[waiting++] = (Bound){x[m], inner[m], !is_upper};
  ahead[waiting] = (Bound){out, line.y + line.slope * (out - line.x), is_upper};
  return waiting + 1;
}

static int64_t link_corners(const double *x, int64_t n, const Line *lines, const Window *windows, int64_t links,
                            Corner *corners) {
  corners[0] = (Corner){x[0], lines[0].y + lines[0].slope * (x[0] - lines[0].x)};
  for (int64_t m = 1; m < links; m++) {
    Line a = lines[m - 1], b = lines[m];
    double cross = a.slope != b.slope
                       ? (b.y - b.slope * b.x - a.y + a.slope * a.x) / (a.slope - b.slope) : windows[m - 1].first;
    cross = clip(cross, windows[m - 1].first, windows[m - 1].last);
    corners[m] = (Corner){cross, a.y + a.slope * (cross - a.x)};
  }
  Line end = lines[links - 1];
  corners[links] = (Corner){x[n - 1], end.y + end.slope * (x[n - 1] - end.x)};
  return links + 1;
}

typedef struct { double *x, *y; int64_t count, at; } Chain;

/* Take a bound in; whether it blocks the link. `sign`: 1 for an upper bound, -1 for a lower one. */
static bool take_bound(double px, double py, double sign, Chain *own, Chain *other, Line *limit, const Line *far) {
  bool far_known = far->slope * sign > -INFINITE;
  if (other->count > 0 && far_known && sign * (far->y + far->slope * (px - far->x) - py) > SLACK) return true;
  bool limit_open = limit->slope * sign >= INFINITE;
  if (other->count > 0 && (limit_open || sign * (limit->y + limit->slope * (px - limit->x) - py) > 0.0)) {
    double best = sign * INFINITE;
    bool found = false;
    for (int64_t k = other->at; k < other->count; k++) {
      if (!(other->x[k] < px)) continue;
      double slope = (py - other->y[k]) / (px - other->x[k]);
      if (sign * slope > sign * best) break;
      best = slope;
      other->at = k;
      found = true;
    }
    if (found) *limit = (Line){px, py, best};
  }
  while (own->count - own->at >= 2) {
    int64_t last = own->count - 1;
    double left = (own->y[last] - own->y[last - 1]) * (px - own->x[last - 1]);
    double right = (py - own->y[last - 1]) * (own->x[last] - own->x[last - 1]);
    if (sign * left < sign * right) break;
    own->count -= 1;
  }
  own->x[own->count] = px;
  own->y[own->count] = py;
  own->count += 1;
  return false;
}

/* `corners` has room for n + 3; how many there are, -1 without memory. */
int64_t zolvek_funnel(const double *x, const double *low, const double *high, int64_t n, Corner *corners) {
  size_t size = (size_t)n + 4;
  double *chains = malloc(4 * size * sizeof(double));
  Line *lines = malloc(size * sizeof(Line));
  Window *windows = malloc(size * sizeof(Window));
  Bound *ahead = malloc(size * sizeof(Bound));
  int64_t result = -1, links = 0, i = 0, waiting = 0, taken = 0;
  if (!chains || !lines || !windows || !ahead) goto done;
  Chain up = {chains, chains + size, 0, 0}, dn = {chains + 2 * size, chains + 3 * size, 0, 0};
  Line steep = {0.0, 0.0, INFINITE}, flat = {0.0, 0.0, -INFINITE};
  bool second = false;  /* of a sample: its upper bound, then its lower one */
  for (;;) {
    Bound bound;
    bool separate = taken >= waiting;
    if (!separate) bound = ahead[taken];
    else if (i < n) bound = (Bound){x[i], second ? low[i] : high[i], !second};
    else break;
    bool blocked = bound.is_upper ? take_bound(bound.x, bound.y, 1.0, &up, &dn, &steep, &flat)
                                  : take_bound(bound.x, bound.y, -1.0, &dn, &up, &flat, &steep);
    if (!blocked) {
      if (!separate) taken += 1;
      else if (second) { second = false; i += 1; }
      else second = true;
      continue;
    }
    waiting = bound.is_upper ? link_ended(true, i, x, high, low, flat, lines, windows, links, ahead)
                             : link_ended(false, i, x, low, high, steep, lines, windows, links, ahead);
    links += 1;
    taken = 0;
    second = false;
    up.count = dn.count = up.at = dn.at = 0;
    steep.slope = INFINITE;
    flat.slope = -INFINITE;
  }
  /* The last link: any line that still passes; half way between the two extremes. */
  if (steep.slope < INFINITE && flat.slope > -INFINITE) {
    double cut = steep.slope - flat.slope;
    double meet = cut > 0.0 ? (flat.y - steep.y + steep.slope * steep.x - flat.slope * flat.x) / cut : flat.x;
    lines[links] = (Line){meet, flat.y + flat.slope * (meet - flat.x), 0.5 * (steep.slope + flat.slope)};
  } else {
    lines[links] = steep.slope < INFINITE ? steep : flat;
  }
  result = link_corners(x, n, lines, windows, links + 1, corners);
done:
  free(chains); free(lines); free(windows); free(ahead);
  return result;
}

/* Codes of the shapes that are tried, as the table of shapes has them, and its places. */
typedef struct { int64_t line, bent, s_curve, cosine; double places[5]; } Shapes;
#define FLAT 1e-12
#define FLAT_RISE 1e-12
#define STEEPEST 0.995
#define TRIALS 5
#define FAILURES 3

static double bend(double u, double k, double whole) { return expm1(k * u) / whole; }

static double rise_at(const Shapes *shapes, int64_t code, double k, double whole, double u) {
  if (code == shapes->bent) return bend(u, k, whole);
  if (code == shapes->s_curve) {
    double half = 0.5 * expm1(k * (1.0 - fabs(1.0 - 2.0 * u))) / whole;
    return u < 0.5 ? half : 1.0 - half;
  }
  if (code == shapes->cosine) return 0.5 - 0.5 * cos(M_PI * u);
  return u;
}

static double between(const double *x, const double *y, int64_t n, double at, int64_t low, int64_t high) {
  int64_t m = low + lower(x + low, high - low, at);
  if (m <= 0) return y[0];
  if (m >= n) return y[n - 1];
  double span = x[m] - x[m - 1], share = span > 0.0 ? (at - x[m - 1]) / span : 0.0;
  return y[m - 1] + share * (y[m] - y[m - 1]);
}

typedef struct { const double *x, *y; int64_t n; const double *cx, *cy; const int64_t *index; double tolerance;
                 const Shapes *shapes; } Run;

static bool follows(const Run *run, int64_t start, int64_t end, int64_t *code, double *amount) {
  const Shapes *shapes = run->shapes;
  double x0 = run->cx[start], y0 = run->cy[start];
  double span = run->cx[end] - x0, rise = run->cy[end] - y0, heights[5] = {0};
  int64_t first = run->index[start], last = run->index[end];
  int64_t low = first > 0 ? first - 1 : 0, high = last + 2 < run->n ? last + 2 : run->n;
  for (int trial = 0; trial < TRIALS; trial++) {
    *code = shapes->line;
    *amount = 0.0;
    if (trial > 0) {
      if (fabs(rise) < FLAT_RISE) break;
      if (trial == 1)
        for (int m = 0; m < 5; m++)
          heights[m] = (between(run->x, run->y, run->n, x0 + shapes->places[m] * span, low, high) - y0) / rise;
      const double *g = heights;
      if (trial == 1) { *code = shapes->bent; *amount = 2.0 * g[2] - 1.0; }
      else if (trial == 2) { *code = shapes->cosine; *amount = 0.0; }
      else if (trial == 3) { *code = shapes->s_curve; *amount = 1.0 - 2.0 * (g[0] + 1.0 - g[4]); }
      else { *code = shapes->bent; *amount = g[2] + 0.5 * (g[1] + g[3]) - 1.0; }
    }
    *amount = clip(*amount, -STEEPEST, STEEPEST);
    double k = 0.0, whole = 1.0;
    if (*code == shapes->bent || *code == shapes->s_curve) {
      k = (*code == shapes->bent ? -4.0 : 4.0) * atanh(*amount);
      if (fabs(k) < FLAT) k += 2.0 * FLAT;
      whole = expm1(k);
    }
    bool fits = true;
    for (int64_t m = first; m <= last && fits; m++) {
      if (m >= run->n || run->x[m] <= x0 || run->x[m] >= run->cx[end]) continue;
      double u = (run->x[m] - x0) / span;
      fits = !(fabs(y0 + rise * rise_at(shapes, *code, k, whole, u) - run->y[m]) > run->tolerance);
    }
    if (fits) return true;
  }
  *code = shapes->line;
  *amount = 0.0;
  return false;
}

/* `rows` (count, 3) of corner, shape and amount; how many there are, -1 without memory. */
int64_t zolvek_farthest(const double *x, const double *y, int64_t n, const double *cx, const double *cy, int64_t count,
                        double tolerance, const Shapes *shapes, double *rows) {
  int64_t *index = malloc((size_t)count * sizeof(int64_t));
  if (!index) return -1;
  for (int64_t m = 0; m < count; m++) index[m] = lower(x, n, cx[m]);
  Run run = {x, y, n, cx, cy, index, tolerance, shapes};
  int64_t result = 0, start = 0;
  while (start < count - 1) {
    int64_t best = start + 1, code = shapes->line, reach = 1, failed = 0, bad = count, c;
    double amount = 0.0, a;
    while (start + reach < count && failed < FAILURES) {
      int64_t end = start + reach;
      if (follows(&run, start, end, &c, &a)) {
        best = end; code = c; amount = a; failed = 0; bad = count;
      } else {
        if (!failed) bad = end;
        failed += 1;
      }
      reach = !failed ? reach * 2 : reach + (reach / 3 > 1 ? reach / 3 : 1);
    }
    if (bad == count && start + reach >= count) {
      if (follows(&run, start, count - 1, &c, &a)) { best = count - 1; code = c; amount = a; }
      else bad = count - 1;
    }
    while (bad - best > 1) {
      int64_t middle = (best + bad) / 2;
      if (follows(&run, start, middle, &c, &a)) { best = middle; code = c; amount = a; }
      else bad = middle;
    }
    double *row = rows + 3 * result++;
    row[0] = (double)start; row[1] = (double)code; row[2] = amount;
    start = best;
  }
  double *row = rows + 3 * result++;
  row[0] = (double)(count - 1); row[1] = (double)shapes->line; row[2] = 0.0;
  free(index);
  return result;
}

/* --- zolvek.core.movement.evaluation.quantised_steps --- */

static int64_t halved(int64_t sum) { return (sum >= 0 ? sum : sum - 1) / 2; }

int64_t zolvek_kept(const int32_t *low, const int32_t *high, int64_t count, int64_t *begins, int64_t *values) {
  int64_t result = 0, start = 0, bottom = low[0], top = high[0];
  for (int64_t i = 1; i < count; i++) {
    int64_t lower_ = bottom > low[i] ? bottom : low[i], upper_ = top < high[i] ? top : high[i];
    if (lower_ > upper_) {
      begins[result] = start;
      values[result++] = halved(bottom + top + 1);
      start = i; bottom = low[i]; top = high[i];
    } else {
      bottom = lower_; top = upper_;
    }
  }
  begins[result] = start;
  values[result++] = halved(bottom + top + 1);
  return result;
}

/* --- zolvek.sound.effects.modulation --- */

/* `state` (channels, stages + 1): each stage's memory, and last what went back. */
void zolvek_all_passes(const double *sound, const double *share, const double *feedback, double *state, double *out,
                       int64_t channels, int64_t frames, int64_t stages) {
  for (int64_t channel = 0; channel < channels; channel++) {
    double *memory = state + channel * (stages + 1), last = memory[stages];
    const double *in = sound + channel * frames;
    for (int64_t n = 0; n < frames; n++) {
      double y = in[n] + feedback[n] * last;
      for (int64_t stage = 0; stage < stages; stage++) {
        double step = (y - memory[stage]) * share[n], low = step + memory[stage];
        memory[stage] = low + step;
        y = 2.0 * low - y;
      }
      last = y;
      out[channel * frames + n] = y;
    }
    memory[stages] = last;
  }
}

/* --- zolvek.sound.signal.filters --- */

/* One value for all frames (step 0), or one a frame (step 1). */
typedef struct { const double *values; int64_t step; } Track;
static inline double at(Track track, int64_t frame) { return track.values[frame * track.step]; }

#define SILENCE 1e-30

/* `settings`: g, k and the mix of input, band and low. `state` (channels, 2). */
void zolvek_svf(const double *x, int64_t channels, int64_t frames, const Track *settings, double *state, double *out) {
  Track g_of = settings[0], k_of = settings[1], direct = settings[2], band = settings[3], low = settings[4];
  for (int64_t channel = 0; channel < channels; channel++) {
    const double *in = x + channel * frames;
    double *to = out + channel * frames, *kept = state + 2 * channel, first = kept[0], second = kept[1];
    double g = at(g_of, 0), k = at(k_of, 0), a1 = 1.0 / (1.0 + g * (g + k));
    for (int64_t n = 0; n < frames; n++) {
      if (g_of.step || k_of.step) {
        g = at(g_of, n);
        k = at(k_of, n);
        a1 = 1.0 / (1.0 + g * (g + k));
      }
      double across = 2.0 * g * a1, sample = in[n];
      double next = (2.0 * a1 - 1.0) * first - across * second + across * sample;
      double after = across * first + (1.0 - g * across) * second + g * across * sample;
      to[n] = 0.5 * at(low, n) * (second + after) + 0.5 * at(band, n) * (first + next) + at(direct, n) * sample;
      first = next;
      second = after;
    }
    kept[0] = fabs(first) < SILENCE ? 0.0 : first;
    kept[1] = fabs(second) < SILENCE ? 0.0 : second;
  }
}

/* --- zolvek.sound.effects.delay --- */

/* `line` (2, length), written from `end` on. Read `back` frames ago, between frames by the third-order polynomial. */
void zolvek_delay(const double *sound, int64_t frames, Track back, Track feedback, double *line, int64_t length,
                  int64_t end, double *wet) {
  for (int64_t channel = 0; channel < 2; channel++) {
    double *own = line + channel * length;
    const double *in = sound + channel * frames;
    double *out = wet + channel * frames;
    for (int64_t n = 0; n < frames; n++) {
      double place = (double)(end + n) - at(back, n), whole = floor(place), f = place - whole;
      const double *here = own + (int64_t)whole;
      double value = here[0];
      if (f != 0.0)
        value = here[-1] * (-f * (f - 1.0) * (f - 2.0) / 6.0) + here[0] * ((f + 1.0) * (f - 1.0) * (f - 2.0) / 2.0) +
                here[1] * (-(f + 1.0) * f * (f - 2.0) / 2.0) + here[2] * ((f + 1.0) * f * (f - 1.0) / 6.0);
      out[n] = value;
      own[end + n] = in[n] + value * at(feedback, n);
    }
  }
}

/* --- zolvek.sound.instruments.voices --- */

static double corner(double phase, double step) {
  if (phase < step) {
    double t = phase / step;
    return t + t - t * t - 1.0;
  }
  if (phase > 1.0 - step) {
    double t = (phase - 1.0) / step;
    return t * t + t + t + 1.0;
  }
  return 0.0;
}

/* `phase` within its cycle. */
void zolvek_saw(const double *phase, Track step, double *out, int64_t n) {
  for (int64_t i = 0; i < n; i++) out[i] = 2.0 * phase[i] - 1.0 - corner(phase[i], at(step, i));
}

void zolvek_pulse(const double *phase, Track step, Track width, double *out, int64_t n) {
  for (int64_t i = 0; i < n; i++) {
    double w = at(width, i), s = at(step, i), falling = phase[i] - w;
    falling -= floor(falling);
    double raw = (phase[i] < w ? 1.0 : -1.0) + corner(phase[i], s) - corner(falling, s);
    out[i] = raw - (2.0 * w - 1.0);
  }
}

/* Values at every `spacing` frames, from frame 0 on, as values at `n` frames from `first` on, by lines: `each` is run for
 * every frame i with its value. */
#define BY_LINES(ticks, spacing, first, n, i, value, each)                                                    \
  for (int64_t i = 0; i < (n);) {                                                                             \
    int64_t tick_ = ((first) + i) / (spacing), inside_ = (first) + i - tick_ * (spacing);                     \
    int64_t stop_ = i + (spacing) - inside_ < (n) ? i + (spacing) - inside_ : (n);                            \
    double base_ = (ticks)[tick_], rise_ = (ticks)[tick_ + 1] - base_, whole_ = (double)(spacing);            \
    for (double part_ = (double)inside_; i < stop_; i++, part_ += 1.0) {                                      \
      double value = base_ + rise_ * (part_ / whole_);                                                        \
      each;                                                                                                   \
    }                                                                                                         \
  }

void zolvek_joined(const double *ticks, int64_t spacing, int64_t first, double *out, int64_t n) {
  BY_LINES(ticks, spacing, first, n, i, value, out[i] = value)
}

/* A sine of `ratio` times a phase, from a table of `size` (a power of two), times a body joined by lines: added. */
void zolvek_partial(const double *phase, double ratio, const double *table, int64_t size, const double *body,
                    int64_t spacing, int64_t first, double *out, int64_t n) {
  double whole = (double)size;
  BY_LINES(body, spacing, first, n, i, value, out[i] += value * table[(int64_t)(ratio * phase[i] * whole) & (size - 1)])
}

/* --- zolvek.sound.signal.phases: Philox 4x64-10 (Salmon, Moraes, Dror and Shaw, Parallel random numbers: as easy as 1,
 * 2, 3, 2011), as numpy.random.Philox draws it from a key --- */

void zolvek_noise(uint64_t seed, uint64_t piece, double *out, int64_t n) {
  uint64_t counter[4] = {0, 0, 0, 0};
  for (int64_t i = 0; i < n; i += 4) {
    for (int word = 0; word < 4 && ++counter[word] == 0; word++) {}
    uint64_t c[4] = {counter[0], counter[1], counter[2], counter[3]}, key[2] = {seed, piece};
    for (int round = 0; round < 10; round++) {
      __uint128_t a = (__uint128_t)0xD2E7470EE14C6C93ULL * c[0], b = (__uint128_t)0xCA5A826395121157ULL * c[2];
      uint64_t next[4] = {(uint64_t)(b >> 64) ^ c[1] ^ key[0], (uint64_t)b, (uint64_t)(a >> 64) ^ c[3] ^ key[1],
                          (uint64_t)a};
      memcpy(c, next, sizeof c);
      key[0] += 0x9E3779B97F4A7C15ULL;
      key[1] += 0xBB67AE8584CAA73BULL;
    }
    for (int word = 0; word < 4 && i + word < n; word++) out[i + word] = (double)(c[word] >> 11) * 0x1p-53;
  }
}

/* --- zolvek.core.curve.curve: the values of curves, by the shapes in the order of their table --- */

enum { HOLD, LINE, BEND, S_CURVE, COSINE, STAIRS, PULSES, WAVES };
#define BELOW_ONE 0x1.fffffffffffffp-1

static double edge(double n) { return 1e-12 + 4e-16 * n; }

/* How far a shape has risen at u, 0..1; `a` and `b` are what it has prepared of its amount. */
static double risen(int code, double u, double a, double b) {
  switch (code) {
    case LINE: return u;
    case BEND: return expm1(a * u) / b;
    case S_CURVE: {
      double half = 0.5 * expm1(a * (1.0 - fabs(1.0 - 2.0 * u))) / b;
      return u < 0.5 ? half : 1.0 - half;
    }
    case COSINE: return 0.5 - 0.5 * cos(M_PI * u);
    case STAIRS: {
      double step = floor(u * (a + 1.0) + edge(a));
      return (step < a ? step : a) / a;
    }
    case PULSES: {
      double half = floor(2.0 * a * u + edge(a)), most = 2.0 * a - 1.0;
      return fmod(half < most ? half : most, 2.0);
    }
    case WAVES: return 0.5 - 0.5 * cos(M_PI * (2.0 * a + 1.0) * u);
    default: return 0.0;
  }
}

/* At `count` places in any order; quickest where they rise. Every segment runs through the whole of its shape. */
void zolvek_curve_at(const double *beat, const double *value, const uint8_t *shape, const double *a, const double *b,
                     int64_t points, const double *at_, int64_t count, double *out) {
  int64_t i = -1;  /* the last point at or before a place */
  for (int64_t m = 0; m < count; m++) {
    double place = at_[m];
    bool here = (i < 0 || beat[i] <= place) && (i + 1 >= points || place < beat[i + 1]);
    if (!here) {
      if (i + 2 < points && beat[i + 1] <= place && place < beat[i + 2]) i += 1;
      else i = upper(beat, points, place) - 1;
    }
    if (i < 0 || i >= points - 1) {
      out[m] = value[i < 0 ? 0 : points - 1];
      continue;
    }
    double length = beat[i + 1] - beat[i], rise = value[i + 1] - value[i], gone = place - beat[i];
    if (shape[i] == LINE) {
      out[m] = gone * (rise / length) + value[i];
      continue;
    }
    double u = gone / length;
    out[m] = value[i] + rise * risen(shape[i], u < BELOW_ONE ? u : BELOW_ONE, a[i], b[i]);
  }
}

/* Whether beats lie at most `most` from 0, in order, none closer than `closest` but on one beat, of which at most two, and
 * values within 0 to 1. Comparisons that a not-a-number fails. */
int64_t zolvek_in_order(const double *beat, const double *value, int64_t points, double closest, double most) {
  bool kept = points > 0 && beat[0] >= -most && beat[points - 1] <= most;
  bool jump = false;
  for (int64_t i = 0; i < points && kept; i++) {
    kept = value[i] >= 0.0 && value[i] <= 1.0;
    if (i == 0) continue;
    double step = beat[i] - beat[i - 1];
    bool same = step == 0.0;
    kept = kept && (same ? !jump : step >= closest);
    jump = same;
  }
  return kept;
}
