/* SPDX-License-Identifier: GPL-3.0-or-later
 * What a JACK server calls: no interpreter runs there, so that however busy the program is no cycle is missed.
 *
 * A cycle is a stretch of frames that the server asks for. In it the song moves on, by itself or with the server's
 * transport; its messages go out at their frames, and sound that was made ready is copied. Where it goes elsewhere,
 * notes end and every lane is put where it stands there. `h` are the words of the memory that the program shares
 * (layout.h, made from zolvek.sync.jack.shared_layout), `d` the same as float64. Words that another process or thread
 * writes to hand something over are read and written with barriers: C11, acquire and release. */
#include <stdatomic.h>
#include <time.h>
#include <unistd.h>
#include "emission.h"

/* Of jack/jack.h, midiport.h and transport.h; the library is loaded before this one. */
typedef struct { uint32_t time; size_t size; uint8_t *buffer; } MidiEvent;
extern void *jack_port_get_buffer(void *port, uint32_t frames);
extern void jack_midi_clear_buffer(void *buffer);
extern int jack_midi_event_write(void *buffer, uint32_t offset, const uint8_t *data, size_t size);
extern uint32_t jack_midi_get_event_count(void *buffer);
extern int jack_midi_event_get(MidiEvent *event, void *buffer, uint32_t index);
extern int jack_transport_query(void *client, void *position);
extern int jack_transport_locate(void *client, uint32_t frame);

#define STRAYS_MOST_US 5000.0
#define DRAWN 0.01            /* of how far a cycle is off the clock, each cycle */
#define FADE_FRAMES 240       /* in which sound that is cut off dies away */
#define CAUGHT_UP 24000       /* frames that may be left out */
#define AT_ONCE 1e18          /* a speed at which all is at one place */
#define KEPT_BACK_FRAMES 4    /* that have been played and are still there, to read between them */
/* Times and microseconds that a cycle faster than real time waits for sound: 9 s. After 10 s the server itself ends that
 * mode (jack2, JackFreewheelDriver). */
#define LONGEST_WAIT 45000
#define NAP_US 200
#define TICKS_A_UNIT 960.0

typedef struct { double time, song, speed, state, tempo; } Moment;
typedef struct { Word begin, song, count, epoch, tempo; } Segment;
typedef struct { double time; Word size; uint8_t data[LONGEST_ARRIVAL_BYTES]; } Arrival;

static inline Word acquired(Word *word) { return __atomic_load_n(word, __ATOMIC_ACQUIRE); }
static inline void release(Word *word, Word value) { __atomic_store_n(word, value, __ATOMIC_RELEASE); }
static inline double *reals(Word *h) { return (double *)h; }
static inline double real_larger(double a, double b) { return a > b ? a : b; }

/* --- tempo, bars and beats --- */

typedef struct { double beat, bpm; } Beat;

static const double *tempo_row(const Word *t, double value, int column) {
  const double *row = (const double *)t[T_TEMPO];
  for (Word index = 0; index + 1 < t[T_TEMPOS] && row[4 + column] <= value; index++) row += 4;
  return row;
}

static Beat beat_at(const Word *t, double seconds) {
  const double *row = tempo_row(t, seconds, 0);  /* second, beat, BPM, slope */
  double x = (seconds - row[0]) / 60.0, bpm = row[2], slope = row[3];
  double beats = fabs(slope) > 1e-12 ? bpm * expm1(x * slope) / slope : bpm * x;
  return (Beat){row[1] + beats, bpm + slope * beats};
}

static double second_at(const Word *t, double beat) {
  const double *row = tempo_row(t, beat, 1);
  double x = beat - row[1], bpm = row[2], slope = row[3];
  return row[0] + 60.0 * (fabs(slope) > 1e-12 ? log1p(x * slope / bpm) / slope : x / bpm);
}

static void put_uint32(uint8_t *at, uint32_t value) { memcpy(at, &value, sizeof value); }
static void put_real(uint8_t *at, double value) { memcpy(at, &value, sizeof value); }
static void put_single(uint8_t *at, float value) { memcpy(at, &value, sizeof value); }
static uint32_t uint32_at(const uint8_t *at) { uint32_t value; memcpy(&value, at, sizeof value); return value; }

/* Bar, beat, tick and tempo at a frame into jack_position_t, which is packed: 4-byte words of frame (5), what is given
 * (6), bar, beat, tick (7 to 9); then bytes 40, 48, 56 and 100. Its beats are the meter's units, and so is its tempo. */
static void write_bbt(const Word *h, const Word *t, uint8_t *position) {
  double seconds = uint32_at(position + 20) / (double)h[RATE];
  Beat now = beat_at(t, seconds);
  const double *first = (const double *)t[T_METER], *row = first;  /* beat, bar, beats in a bar, unit */
  for (Word index = 0; index + 1 < t[T_METERS] && row[4] <= now.beat + 1e-9; index++) row += 4;
  double count = row[2], unit = row[3];
  double units = (now.beat - row[0]) * unit / 4.0, bars = floor(units / count + 1e-10);
  double inside = real_larger(units - bars * count, 0.0), whole = floor(inside + 1e-10);
  double ticks = real_larger(inside - whole, 0.0) * TICKS_A_UNIT, bar_tick = 0.0;
  for (const double *here = first; here < row; here += 4) bar_tick += (here[4] - here[0]) * here[3] / 4.0;
  put_uint32(position + 24, 0x10 | 0x200);  /* bars, and ticks with their fraction */
  put_uint32(position + 28, (uint32_t)(row[1] + bars));
  put_uint32(position + 32, (uint32_t)whole + 1);
  put_uint32(position + 36, (uint32_t)floor(ticks));
  put_real(position + 40, (bar_tick + bars * count) * TICKS_A_UNIT);
  put_single(position + 48, (float)count);
  put_single(position + 52, (float)unit);
  put_real(position + 56, TICKS_A_UNIT);
  put_real(position + 64, now.bpm * unit / 4.0);
  put_real(position + 100, ticks);
}

/* --- sound out: copied from what was made ready, by song frame --- */

static void put_sound(Word *h, Word slot, Word offset, Word count, float level, float fall) {
  for (Word channel = 0; channel < h[SOUND_COUNT]; channel++) {
    float *to = (float *)h[FIRST_SOUND_BUFFER + channel];
    const float *ring = (const float *)h[SOUND] + channel * RING_FRAMES;
    if (!to) continue;
    for (Word i = 0; i < count; i++) {
      float value = ring[(slot + i) & (RING_FRAMES - 1)];
      to[offset + i] = fall > 0.0f ? value * (level - (float)i * fall) : value;
    }
  }
}

/* Copy song frames from `at` on into the sound ports' buffers from `offset` on, `n` of them; with `fade` what is copied
 * dies away. How many there were. */
static Word copied(Word *h, Word n, Word at, Word offset, bool fade) {
  Word done = 0;
  int waited = 0;
  while (done < n) {
    if (h[SEGMENT_READ] == acquired(&h[SEGMENT_WRITTEN])) {
      bool patient = h[FREEWHEEL] && h[SOUND_WANTED] && !h[ENDED] && !fade;
      if (!patient || waited >= LONGEST_WAIT) return done;
      waited += 1;
      usleep(NAP_US);
      continue;
    }
    const Segment *row = (const Segment *)h[SEGMENTS] + (h[SEGMENT_READ] & (SEGMENTS_HELD - 1));
    Word into = at + done - row->song;
    if (row->tempo != h[TEMPO_KEY])  /* made before or after a change of tempo: it just goes on */
      into = larger(h[SOUND_READ] - row->begin, 0);
    if (row->epoch == h[EPOCH] && into < 0) {  /* it comes later: a gap before it */
      done += smaller(-into, n - done);
      continue;
    }
    if (row->epoch != h[EPOCH] || into >= row->count || row->begin + into < h[SOUND_READ] - KEPT_BACK_FRAMES) {
      release(&h[SOUND_READ], larger(h[SOUND_READ], row->begin + row->count));
      release(&h[SEGMENT_READ], h[SEGMENT_READ] + 1);
      continue;
    }
    Word part = smaller(n - done, row->count - into);
    float fall = fade ? 1.0f / (float)n : 0.0f;
    put_sound(h, row->begin + into, offset + done, part, 1.0f - (float)done * fall, fall);
    done += part;
    release(&h[SOUND_READ], larger(h[SOUND_READ], row->begin + into + part));
  }
  return done;
}

/* Read between frames: four-point, third-order Hermite (Niemitalo, Polynomial Interpolators, 2001). */
static void spread(const float *samples, float *out, Word n, double start, double speed) {
  for (Word i = 0; i < n; i++) {
    double x = start + (double)i * speed;
    Word j = (Word)floor(x);
    double u = x - (double)j, a = samples[j - 1], b = samples[j], c = samples[j + 1], e = samples[j + 2];
    double bent = c - a + u * (2.0 * a - 5.0 * b + 4.0 * c - e + u * (3.0 * (b - c) + e - a));
    out[i] = (float)(b + 0.5 * u * bent);
  }
}

/* As `copied`, at another speed: into buffers of our own first. */
static Word stretched(Word *h, Word n, double song, Word offset, double speed) {
  Word first = (Word)floor(song) - 1, count = (Word)floor(song + (double)n * speed) + 3 - first;
  if (count > LARGEST_BLOCK_FRAMES) return 0;
  Word *outs = (Word *)(h[SCRATCH] + SCRATCH_BYTES);
  for (Word channel = 0; channel < h[SOUND_COUNT]; channel++) {
    float *own = (float *)h[SPREAD] + channel * LARGEST_BLOCK_FRAMES;
    outs[channel] = h[FIRST_SOUND_BUFFER + channel];
    if (!outs[channel]) continue;
    h[FIRST_SOUND_BUFFER + channel] = (Word)own;
    memset(own, 0, (size_t)count * sizeof(float));
  }
  Word read = h[SOUND_READ], done = copied(h, count, first, 0, false);
  release(&h[SOUND_READ], larger(read, h[SOUND_READ] - KEPT_BACK_FRAMES));
  for (Word channel = 0; channel < h[SOUND_COUNT]; channel++) {
    h[FIRST_SOUND_BUFFER + channel] = outs[channel];
    if (outs[channel])
      spread((const float *)h[SPREAD] + channel * LARGEST_BLOCK_FRAMES, (float *)outs[channel] + offset, n,
             song - (double)first, speed);
  }
  return smaller(done, n);
}

/* --- control voltages: straight lines between a table's break-points, a value for every frame --- */

static Word voltage_row(const Word *t, Word key) {
  for (Word row = 0; row < t[T_VOLTAGES]; row++)
    if (int64_at(t[T_VOLTAGE_KEY], row) == key) return row;
  return -1;
}

static void put_line(const Word *t, Word row, float *out, Word n, double song, double speed, double least) {
  Word first = int64_at(t[T_VOLTAGE_FIRST], row), last = int64_at(t[T_VOLTAGE_FIRST], row + 1);
  const Word *frames = (const Word *)t[T_VOLTAGE_FRAME];
  const double *values = (const double *)t[T_VOLTAGE];
  Word early = before(t[T_VOLTAGE_FRAME], first, last, floor(real_larger(song, least)) + 1.0);
  Word at = larger(first, first + early - 1);
  for (Word i = 0; i < n; i++) {
    double x = real_larger(song + (double)i * speed, least);
    while (at + 1 < last && (double)frames[at + 1] <= x) at += 1;
    double value = values[at];
    if (at + 1 < last)
      value += (values[at + 1] - value) * real_larger(x - (double)frames[at], 0.0) / (double)(frames[at + 1] - frames[at]);
    out[i] = (float)value;
  }
}

/* `n` values of every port that a lane has, from song frame `song` on, `speed` song frames a frame; before `least` that
 * one's. */
static void put_voltages(Word *h, const Word *t, Word offset, Word n, double song, double speed, double least) {
  for (Word port = 0; port < h[VOLTAGE_COUNT]; port++) {
    float *buffer = (float *)h[FIRST_VOLTAGE_BUFFER + port];
    Word row = voltage_row(t, h[FIRST_VOLTAGE_KEY + port]);
    if (buffer && row >= 0) put_line(t, row, buffer + offset, n, song, speed, least);
  }
}

/* --- where the song is --- */

/* Sound is to be made ready from `frame` on, unless it is already. */
static void want(Word *h, Word frame) {
  if (h[WANTED_SERIAL] == 0 || h[WANTED_FRAME] != frame || h[WANTED_USED] || h[REFILL] != h[REFILL_DONE]) {
    h[REFILL_DONE] = h[REFILL];
    h[WANTED_FRAME] = frame;
    h[WANTED_USED] = 0;
    release(&h[WANTED_SERIAL], h[WANTED_SERIAL] + 1);
  }
}

/* While nothing plays: sound that was made ready for another position makes room. */
static void drop_stale(Word *h) {
  while (h[SEGMENT_READ] < acquired(&h[SEGMENT_WRITTEN])) {
    const Segment *row = (const Segment *)h[SEGMENTS] + (h[SEGMENT_READ] & (SEGMENTS_HELD - 1));
    if (row->epoch == h[WANTED_SERIAL]) break;
    release(&h[SOUND_READ], larger(h[SOUND_READ], row->begin + row->count));
    release(&h[SEGMENT_READ], h[SEGMENT_READ] + 1);
  }
}

static void record_moment(Word *h, double time, double song, double speed, Word state) {
  Moment *row = (Moment *)h[PAST] + (h[PAST_COUNT] & (PAST_HELD - 1));
  *row = (Moment){time, song, speed, (double)state, (double)h[TEMPO_KEY]};
  release(&h[PAST_COUNT], h[PAST_COUNT] + 1);
}

/* The first frame of a song at another tempo that has not been played, where `frame` is the first in the table before:
 * what is placed by the nearest frame comes neither twice nor never. */
static Word frame_there(const Word *t, const Word *old, double frame, double rate) {
  return (Word)floor(second_at(t, beat_at(old, (frame - 0.5) / rate).beat) * rate + 0.5);
}

/* A song that moves by itself stays where it is in beats when its tempo changes. */
static void change_tempo(Word *h, double *d, const Word *t, const Word *old) {
  if (h[MODE] != ALONE || t[T_TEMPO_KEY] == old[T_TEMPO_KEY]) return;
  double rate = (double)h[RATE];
  h[EXPECTED] = frame_there(t, old, (double)h[EXPECTED], rate);
  if (h[QUIET_UNTIL] != NOT_QUIET) h[QUIET_UNTIL] = frame_there(t, old, (double)h[QUIET_UNTIL], rate);
  d[SONG] = (double)frame_there(t, old, ceil(d[SONG]), rate);
}

/* The song from `song` on for `n` frames of the cycle, from `offset` on in it. `jump`: it was elsewhere. */
static void emit_block(Word *h, double *d, const Word *t, Word offset, double song, Word n, double speed, bool jump) {
  Word first = (Word)ceil(song);
  double last = song + (double)n * speed;
  Word heard = larger(first, h[QUIET_UNTIL]);  /* before it a count-in goes on */
  if (jump) {
    send_position(h, t, heard, offset);
    h[EPOCH] = h[WANTED_SERIAL];
  }
  record_moment(h, d[TIME] + (double)offset * 1e6 / (double)h[RATE], song, speed, ROLLING);
  emit_messages(h, t, song, heard, last, offset, speed);
  put_voltages(h, t, offset, n, song, speed, (double)h[QUIET_UNTIL]);
  if (last >= (double)h[QUIET_UNTIL]) h[QUIET_UNTIL] = NOT_QUIET;  /* a loop may go back to before it */
  bool whole = speed == 1.0 && song == (double)first;
  Word done = whole ? copied(h, n, first, offset, false) : stretched(h, n, song, offset, speed);
  if (h[SOUND_WANTED]) {
    h[MISSING] += n - done;
    if (h[FREEWHEEL] && !h[ENDED]) h[FREE_MISSING] += n - done;
  }
}

/* The song stands at `frame`; `was`: it has gone until now, and what sounded dies away. */
static void emit_rest(Word *h, double *d, const Word *t, Word n, Word frame, bool was) {
  record_moment(h, d[TIME], (double)frame, 0.0, h[STATE]);
  bool moved = h[EXPECTED] != frame;
  if (was) {
    copied(h, smaller(FADE_FRAMES, n), h[EXPECTED], 0, true);
    stop_messages(h, 0);
  }
  if (was || moved) send_rest(h, t, frame, 0, moved);
  put_voltages(h, t, 0, n, (double)frame, 0.0, (double)NOT_QUIET);
  want(h, frame);
  drop_stale(h);
  h[EXPECTED] = h[FRAME] = frame;
}

/* What the program has given a song that moves by itself. */
static void handle_locate(Word *h, double *d) {
  Word serial = acquired(&h[GO_SERIAL]);
  if (h[GO_DONE] == serial) return;
  if (h[GO] == GO_STOP) {
    h[STATE] = STOPPED;
  } else {
    d[SONG] = (double)h[GO_FRAME];
    if (h[GO] == GO_START || h[STATE] != STOPPED) h[STATE] = STARTING;
  }
  release(&h[GO_DONE], serial);
}

/* A cycle of a song that moves by itself. */
static void alone(Word *h, double *d, const Word *t, Word n) {
  bool was = h[STATE] == ROLLING, jump = false;
  handle_locate(h, d);
  Word offset = 0;
  if (h[STATE] == STARTING) {
    want(h, (Word)floor(d[SONG]));
    bool ready = acquired(&h[READY_SERIAL]) == h[WANTED_SERIAL] || !h[SOUND_WANTED];
    double away = d[GO_TIME] > 0.0 ? (d[GO_TIME] - d[TIME]) * 1e-6 * (double)h[RATE] : 0.0;
    if (ready && away < (double)n) {
      h[STATE] = ROLLING;
      jump = true;
      offset = (Word)real_larger(away, 0.0);
      d[SONG] += real_larger(-away, 0.0) * d[SPEED];  /* it should have begun already */
    }
  }
  if (h[STATE] != ROLLING) {
    emit_rest(h, d, t, n, (Word)floor(d[SONG]), was);
    return;
  }
  if (h[LOOPED] && !jump) send_position(h, t, (Word)ceil(d[SONG]), 0);
  h[LOOPED] = 0;
  h[WANTED_USED] = 1;
  double speed = d[SPEED];
  if (offset > 0) put_voltages(h, t, 0, offset, d[SONG], 0.0, (double)h[QUIET_UNTIL]);
  while (offset < n) {
    Word left = n - offset;
    double song = d[SONG];
    bool inside = h[LOOP] && song < (double)h[LOOP_LAST];
    double end = inside ? (double)h[LOOP_LAST] : (double)t[T_LENGTH];
    double to_end = ceil((end - song) / speed - 1e-9);
    if (to_end <= 0.0) {  /* the end of the song */
      h[STATE] = STOPPED;
      stop_messages(h, offset);
      put_voltages(h, t, offset, left, song, 0.0, (double)NOT_QUIET);
      break;
    }
    Word part = to_end < (double)left ? (Word)to_end : left;
    emit_block(h, d, t, offset, song, part, speed, jump);
    jump = false;
    d[SONG] = song + (double)part * speed;
    offset += part;
    if (inside && d[SONG] >= (double)h[LOOP_LAST] - 1e-6) {
      d[SONG] = (double)h[LOOP_FIRST] + real_larger(d[SONG] - (double)h[LOOP_LAST], 0.0);
      notes_off(h, offset - 1);
      if (offset < n) send_position(h, t, (Word)ceil(d[SONG]), offset);
      else h[LOOPED] = 1;  /* given at the beginning of the next cycle */
    }
  }
  h[EXPECTED] = h[FRAME] = (Word)floor(d[SONG]);
}

/* Faster than real time nobody else waits until sound is ready where the song begins. */
static void wait_for_sound(Word *h, Word frame) {
  if (!h[SOUND_WANTED]) return;
  h[STATE] = STARTING;
  want(h, frame);
  for (int waited = 0; acquired(&h[READY_SERIAL]) != h[WANTED_SERIAL] && waited < LONGEST_WAIT; waited++) usleep(NAP_US);
}

/* A cycle of a song that goes with the server's transport. */
static void together(Word *h, double *d, const Word *t, Word n) {
  Word state = jack_transport_query((void *)h[CLIENT], (void *)h[POSITION]);
  Word frame = uint32_at((const uint8_t *)h[POSITION] + 20);  /* jack_position_t.frame */
  bool was = h[STATE] == ROLLING;
  if (state == ROLLING && h[FREEWHEEL] && (!was || frame != h[EXPECTED])) wait_for_sound(h, frame);
  h[STATE] = state > ROLLING ? STARTING : state;
  d[SONG] = (double)frame;
  if (h[STATE] != ROLLING) {
    emit_rest(h, d, t, n, frame, was);
    return;
  }
  bool jump = !was || frame != h[EXPECTED];
  if (jump && was && frame > h[EXPECTED] && frame - h[EXPECTED] < CAUGHT_UP) {
    /* The server has left a few cycles out: what lay in them is given at once, and sound is there further on. */
    emit_messages(h, t, (double)h[EXPECTED], h[EXPECTED], (double)frame, 0, AT_ONCE);
    jump = false;
    h[LEFT_OUT] += 1;
  }
  if (jump && (h[WANTED_USED] || h[WANTED_FRAME] != frame)) want(h, frame);
  h[WANTED_USED] = 1;
  emit_block(h, d, t, 0, (double)frame, n, 1.0, jump);
  h[EXPECTED] = h[FRAME] = frame + n;
  d[SONG] = (double)(frame + n);
  if (h[LOOP] && frame < h[LOOP_LAST] && h[LOOP_LAST] <= frame + n)
    jack_transport_locate((void *)h[CLIENT], (uint32_t)h[LOOP_FIRST]);
}

/* --- what the server calls --- */

/* What has come in goes to where the program takes it from, each with its moment. */
static void read_input(Word *h, double *d, Word n) {
  void *buffer = h[MIDI_IN] ? jack_port_get_buffer((void *)h[MIDI_IN], (uint32_t)n) : NULL;
  if (!buffer) return;
  uint32_t count = jack_midi_get_event_count(buffer);
  for (uint32_t number = 0; number < count; number++) {
    MidiEvent event;
    if (jack_midi_event_get(&event, buffer, number)) continue;
    h[CAME] += 1;
    if (event.size > LONGEST_ARRIVAL_BYTES || event.size < 1) continue;
    if (h[HEARD_COUNT] - acquired(&h[HEARD_READ]) >= HEARD_HELD - 1) {
      h[HEARD_LOST] += 1;
      continue;
    }
    Arrival *row = (Arrival *)h[HEARD] + (h[HEARD_COUNT] & (HEARD_HELD - 1));
    row->time = d[TIME] + event.time * 1e6 / (double)h[RATE];
    row->size = (Word)event.size;
    memcpy(row->data, event.buffer, event.size);
    release(&h[HEARD_COUNT], h[HEARD_COUNT] + 1);
  }
}

static void *buffer_of(Word port, Word n) { return port ? jack_port_get_buffer((void *)port, (uint32_t)n) : NULL; }

static void silent_buffers(Word *h, Word count, Word ports, Word buffers, Word n) {
  for (Word index = 0; index < count; index++) {
    void *buffer = buffer_of(h[ports + index], n);
    h[buffers + index] = (Word)buffer;
    if (buffer) memset(buffer, 0, (size_t)n * sizeof(float));
  }
}

/* Where this cycle's buffers are: those for messages emptied, those for sound and voltages silent. */
static void take_buffers(Word *h, Word n) {
  for (Word index = 0; index < h[MIDI_COUNT]; index++) {
    void *buffer = buffer_of(h[FIRST_MIDI + index], n);
    h[FIRST_BUFFER + index] = (Word)buffer;
    if (buffer) jack_midi_clear_buffer(buffer);
  }
  silent_buffers(h, h[SOUND_COUNT], FIRST_SOUND, FIRST_SOUND_BUFFER, n);
  silent_buffers(h, h[VOLTAGE_COUNT], FIRST_VOLTAGE, FIRST_VOLTAGE_BUFFER, n);
}

static void send_events(Word *h) {
  for (Word number = 0; number < h[EVENT_COUNT]; number++) {
    const Word *row = (const Word *)(h[EVENTS] + EVENT_BYTES * number);
    void *buffer = (void *)h[FIRST_BUFFER + row[0]];
    const uint8_t *data = (const uint8_t *)row + EVENT_DATA;
    if (buffer && jack_midi_event_write(buffer, (uint32_t)row[1], data, (size_t)row[2])) h[FULL] += 1;
  }
  h[EVENT_COUNT] = 0;
}

/* The moment of the cycle, in microseconds of CLOCK_MONOTONIC: as even as its frames are, and drawn towards the clock.
 * (The server counts by another clock, and is off for long once a client has held it up.) */
static void keep_time(Word *h, double *d, Word n) {
  struct timespec clock;
  clock_gettime(CLOCK_MONOTONIC, &clock);
  double now = (double)clock.tv_sec * 1e6 + (double)clock.tv_nsec * 1e-3;
  double due = d[TIME] + (double)h[LAST_FRAMES] * 1e6 / (double)h[RATE], strays = now - due;
  bool even = fabs(strays) < STRAYS_MOST_US && !h[FREEWHEEL];
  d[TIME] = even ? due + DRAWN * strays : now;
  h[LAST_FRAMES] = n;
}

/* JACK's process callback: the song moves, messages and sound go out, messages come in. */
int zolvek_process(uint32_t frames, Word *h) {
  double *d = reals(h);
  Word n = frames;
  keep_time(h, d, n);
  read_input(h, d, n);  /* first: what a port of ours sends to this one lies where it was sent a cycle ago */
  take_buffers(h, n);
  const Word *t = (const Word *)acquired(&h[TABLE]);
  if (t) {
    if (h[PANIC_DONE] != h[PANIC]) {
      h[PANIC_DONE] = h[PANIC];
      hush(h, 0);
    }
    if (h[TABLE_DONE] != (Word)t) {
      h[TEMPO_KEY] = t[T_TEMPO_KEY];
      const Word *old = (const Word *)h[OLD_TABLE];
      if (old) {
        Word was = (Word)ceil(d[SONG]);
        change_tempo(h, d, t, old);
        chase_changed(h, t, (Word)ceil(d[SONG]), old, was, 0);
      }
      release(&h[TABLE_DONE], (Word)t);
    }
    if (h[MODE] == TOGETHER) together(h, d, t, n); else alone(h, d, t, n);
    send_events(h);
  }
  release(&h[CYCLES], h[CYCLES] + 1);
  return 0;
}

/* Whether we are ready to go on from where the transport is to begin. */
int zolvek_sync(int state, const uint8_t *position, Word *h) {
  if (h[MODE] != TOGETHER || !h[SOUND_WANTED] || state == ROLLING) return 1;
  want(h, uint32_at(position + 20));
  return acquired(&h[READY_SERIAL]) == h[WANTED_SERIAL];
}

void zolvek_timebase(int state, uint32_t frames, uint8_t *position, int is_new, Word *h) {
  (void)state; (void)frames; (void)is_new;
  const Word *t = (const Word *)acquired(&h[TABLE]);
  if (t) write_bbt(h, t, position);
}

void zolvek_freewheel(int on, Word *h) { h[FREEWHEEL] = on; }
int zolvek_buffer_size(uint32_t frames, Word *h) { h[BLOCK] = frames; return 0; }
int zolvek_sample_rate(uint32_t rate, Word *h) { h[RATE] = rate; return 0; }
int zolvek_xrun(Word *h) { h[XRUNS] += 1; return 0; }
void zolvek_shutdown(Word *h) { release(&h[SHUT], 1); }
void zolvek_connected(uint32_t one, uint32_t other, int on, Word *h) {
  (void)one; (void)other; (void)on;
  __atomic_add_fetch(&h[GRAPH], 1, __ATOMIC_ACQ_REL);
}
void zolvek_registered(uint32_t port, int on, Word *h) {
  (void)port; (void)on;
  __atomic_add_fetch(&h[GRAPH], 1, __ATOMIC_ACQ_REL);
}
