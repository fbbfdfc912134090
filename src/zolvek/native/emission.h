/* SPDX-License-Identifier: GPL-3.0-or-later
 * Messages as the song moves: lanes chased, notes ended, clock and time code, and what an edit changes. The same as
 * zolvek.sync.emission.message_emission, statement by statement; a test holds the two together. `h` are the words of
 * the memory, `t` those of a table (layout.h). */
#ifndef ZOLVEK_EMISSION_H
#define ZOLVEK_EMISSION_H
#include <math.h>
#include <stdbool.h>
#include <stdint.h>
#include <string.h>
#include "layout.h"

typedef int64_t Word;

static inline Word int64_at(Word address, Word index) { return ((const Word *)address)[index]; }
static inline double real_at(Word address, Word index) { return ((const double *)address)[index]; }
static inline uint8_t byte_at(Word address, Word index) { return ((const uint8_t *)address)[index]; }
static inline void put_byte(Word address, Word index, Word value) { ((uint8_t *)address)[index] = (uint8_t)value; }
static inline Word larger(Word a, Word b) { return a > b ? a : b; }
static inline Word smaller(Word a, Word b) { return a < b ? a : b; }

static void put_event(Word *h, Word port, Word offset, Word at, Word size) {
  if (h[EVENT_COUNT] >= EVENTS_HELD) { h[FULL] += 1; return; }
  Word *row = (Word *)(h[EVENTS] + EVENT_BYTES * h[EVENT_COUNT]);
  row[0] = port; row[1] = offset; row[2] = size;
  memcpy((uint8_t *)row + EVENT_DATA, (const void *)at, (size_t)size);
  h[EVENT_COUNT] += 1;
}

static bool of_a_track(const Word *h, Word port) { return port > 0 && port < h[NAMED_FROM]; }

/* To a port, and to the one that takes those of all tracks. */
static void write_message(Word *h, Word port, Word offset, Word at, Word size) {
  put_event(h, port, offset, at, size);
  if (of_a_track(h, port)) put_event(h, 0, offset, at, size);
  h[SENT] += 1;
}

static void write_three(Word *h, Word port, Word offset, Word status, Word first, Word second, Word size) {
  put_byte(h[SCRATCH], 0, status); put_byte(h[SCRATCH], 1, first); put_byte(h[SCRATCH], 2, second);
  put_event(h, port, offset, h[SCRATCH], size);
}

static void note_sounding(Word *h, Word port, Word at) {
  int kind = byte_at(at, 0) & 0xF0;
  if (kind == 0x90 || kind == 0x80) {
    bool on = kind == 0x90 && byte_at(at, 2) > 0;
    Word key = (byte_at(at, 0) & 15) * 128 + byte_at(at, 1);
    put_byte(h[NOTES], port * PORT_NOTES + key, on);
    h[NOTES_ON] = 1;
  }
}

static void end_note(Word *h, Word index, Word offset) {
  put_byte(h[NOTES], index, 0);
  Word port = index / PORT_NOTES, key = index % PORT_NOTES;
  write_three(h, port, offset, 0x80 | (key / 128), key % 128, 64, 3);
  if (of_a_track(h, port)) write_three(h, 0, offset, 0x80 | (key / 128), key % 128, 64, 3);
  h[SENT] += 1;
}

static void notes_off(Word *h, Word offset) {
  if (!h[NOTES_ON]) return;
  h[NOTES_ON] = 0;
  for (Word index = 0; index < h[MIDI_COUNT] * PORT_NOTES; index++)
    if (byte_at(h[NOTES], index)) end_note(h, index, offset);
}

static void hush(Word *h, Word offset) {
  notes_off(h, offset);
  for (Word port = 0; port < h[MIDI_COUNT]; port++) {
    if (port == h[CLOCK_PORT]) continue;
    for (int channel = 0; channel < 16; channel++) {
      write_three(h, port, offset, 0xB0 | channel, 123, 0, 3);
      write_three(h, port, offset, 0xB0 | channel, 120, 0, 3);
    }
  }
}

/* How many of the numbers low to high at an address, which increase, lie before `frame`. */
static Word before(Word frames, Word low, Word high, double frame) {
  Word first = low;
  while (low < high) {
    Word middle = (low + high) >> 1;
    if ((double)int64_at(frames, middle) < frame) low = middle + 1; else high = middle;
  }
  return low - first;
}

/* Which of its states a lane has just before `frame`; -1 for none. */
static Word stands(const Word *t, Word lane, Word frame) {
  Word first = int64_at(t[T_LANE_FIRST], lane), last = int64_at(t[T_LANE_FIRST], lane + 1);
  Word early = before(t[T_STATE_FRAME], first, last, (double)frame);
  return early > 0 ? first + early - 1 : -1;
}

static void put_lane(Word *h, const Word *t, Word lane, Word state, Word offset) {
  Word port = int64_at(t[T_LANE_PORT], lane), last = int64_at(t[T_STATE_ROW], state + 1);
  for (Word row = int64_at(t[T_STATE_ROW], state); row < last; row++)
    write_message(h, port, offset, t[T_ROW_DATA] + 3 * row, int64_at(t[T_ROW_SIZE], row));
}

static void chase(Word *h, const Word *t, Word frame, Word offset) {
  for (Word lane = 0; lane < t[T_LANES]; lane++) {
    Word state = stands(t, lane, frame);
    if (state >= 0) put_lane(h, t, lane, state, offset);
  }
}

static void begin_notes(Word *h, const Word *t, Word frame, Word offset) {
  for (Word index = 0; index < t[T_NOTES]; index++)
    if (int64_at(t[T_NOTE_FIRST], index) < frame && frame < int64_at(t[T_NOTE_LAST], index)) {
      Word port = int64_at(t[T_NOTE_PORT], index), at = t[T_NOTE_DATA] + 3 * index;
      write_message(h, port, offset, at, 3);
      note_sounding(h, port, at);
    }
}

/* After an edit: notes that are on and that the table no longer has at `frame` end. */
static void end_removed(Word *h, const Word *t, Word frame, Word offset) {
  const int stays_on = 2;
  if (!h[NOTES_ON]) return;
  for (Word index = 0; index < t[T_NOTES]; index++)
    if (int64_at(t[T_NOTE_FIRST], index) <= frame && frame <= int64_at(t[T_NOTE_LAST], index)) {
      Word at = t[T_NOTE_DATA] + 3 * index;
      Word key = int64_at(t[T_NOTE_PORT], index) * PORT_NOTES + (byte_at(at, 0) & 15) * 128 + byte_at(at, 1);
      if (byte_at(h[NOTES], key)) put_byte(h[NOTES], key, stays_on);
    }
  for (Word index = 0; index < h[MIDI_COUNT] * PORT_NOTES; index++) {
    if (byte_at(h[NOTES], index) == 1) end_note(h, index, offset);
    else if (byte_at(h[NOTES], index) == stays_on) put_byte(h[NOTES], index, 1);
  }
}

/* After an edit: lanes that stand elsewhere at `frame` than they did in the table before at `was_frame`, which is the
 * same beat, and notes that are gone. */
static void chase_changed(Word *h, const Word *t, Word frame, const Word *old, Word was_frame, Word offset) {
  end_removed(h, t, frame, offset);
  for (Word lane = 0; lane < t[T_LANES]; lane++) {
    Word state = stands(t, lane, frame);
    Word was = lane < old[T_LANES] ? stands(old, lane, was_frame) : -1;
    if (state < 0) continue;
    if (was >= 0 && int64_at(t[T_LANE_PORT], lane) == int64_at(old[T_LANE_PORT], lane)) {
      Word row = int64_at(t[T_STATE_ROW], state), old_row = int64_at(old[T_STATE_ROW], was);
      Word count = int64_at(t[T_STATE_ROW], state + 1) - row;
      if (int64_at(old[T_STATE_ROW], was + 1) - old_row == count &&
          !memcmp((const void *)(t[T_ROW_DATA] + 3 * row), (const void *)(old[T_ROW_DATA] + 3 * old_row),
                  (size_t)(3 * count)))
        continue;
    }
    put_lane(h, t, lane, state, offset);
  }
}

/* --- clock and time code --- */

static void realtime(Word *h, Word offset, int byte) {
  write_three(h, h[CLOCK_PORT], offset, byte, 0, 0, 1);
  h[CLOCKED] += 1;
}

/* The full frame of MIDI time code. */
static void send_full_frame(Word *h, const Word *t, Word frame, Word offset) {
  if (!h[CODE_ON] || !t[T_QUARTERS]) return;
  Word number = (Word)floor((double)larger(frame, 0) / (double)h[RATE] * real_at(h[TABLE], T_FPS) + 1e-6);
  if (t[T_DROP]) {
    Word tens = number / 17982, rest = number % 17982;
    number += 18 * tens;
    if (rest > 1) number += 2 * ((rest - 2) / 1798);
  }
  Word seconds = number / t[T_COUNTED], part = number % t[T_COUNTED];
  const Word bytes[10] = {0xF0, 0x7F, 0x7F, 1, 1, (seconds / 3600 % 24) | (t[T_CODE] << 5), seconds / 60 % 60,
                          seconds % 60, part, 0xF7};
  for (int index = 0; index < 10; index++) put_byte(h[SCRATCH], index, bytes[index]);
  put_event(h, h[CLOCK_PORT], offset, h[SCRATCH], 10);
}

static void send_song_position(Word *h, Word sixteenth, Word offset) {
  write_three(h, h[CLOCK_PORT], offset, 0xF2, sixteenth & 127, sixteenth >> 7, 3);
}

static void stop_clock(Word *h, Word offset) {
  if (h[CLOCK_STATE] == CLOCK_RUNS) realtime(h, offset, 0xFC);
  h[CLOCK_STATE] = CLOCK_STILL;
}

/* The song goes on from `frame`: the clock is given where, and begins at the next sixteenth. */
static void start_clock(Word *h, const Word *t, Word frame, Word offset) {
  stop_clock(h, offset);
  send_full_frame(h, t, frame, offset);
  if (!h[CLOCK_ON]) return;
  Word first = before(t[T_CLOCK_FRAME], 0, t[T_CLOCKS], (double)frame);
  first = (first + 5) / 6 * 6;
  if (first < t[T_CLOCKS] && first / 6 <= LAST_POSITION) {
    h[CLOCK_FROM] = first; h[CLOCK_STATE] = CLOCK_WAITS;
    if (first > 0) send_song_position(h, first / 6, offset);
  }
}

/* Clocks and quarter frames from song frame `first` up to `last`, in order of time; frame `song` is at `offset`. */
static void emit_clock(Word *h, const Word *t, double song, Word first, double last, Word offset, double speed) {
  Word quarters = h[CODE_ON] ? t[T_QUARTERS] : 0;
  Word clocks = h[CLOCK_ON] && h[CLOCK_STATE] != CLOCK_STILL ? t[T_CLOCKS] : 0;
  Word quarter = before(t[T_QUARTER_FRAME], 0, quarters, (double)first);
  Word clock = before(t[T_CLOCK_FRAME], 0, clocks, (double)first);
  if (h[CLOCK_STATE] == CLOCK_WAITS) clock = larger(clock, h[CLOCK_FROM]);
  for (;;) {
    double next_quarter = quarter < quarters ? (double)int64_at(t[T_QUARTER_FRAME], quarter) : last;
    double next_clock = clock < clocks ? (double)int64_at(t[T_CLOCK_FRAME], clock) : last;
    if (next_quarter >= last && next_clock >= last) break;
    if (next_quarter < next_clock) {
      Word when = offset + (Word)((next_quarter - song) / speed);
      write_three(h, h[CLOCK_PORT], when, 0xF1, byte_at(t[T_QUARTER_DATA], quarter), 0, 2);
      quarter += 1;
    } else {
      Word when = offset + (Word)((next_clock - song) / speed);
      if (h[CLOCK_STATE] == CLOCK_WAITS) {
        realtime(h, when, h[CLOCK_FROM] == 0 ? 0xFA : 0xFB);
        h[CLOCK_STATE] = CLOCK_RUNS;
      }
      realtime(h, when, 0xF8);
      clock += 1;
    }
  }
}

/* --- the song --- */

/* The song continues elsewhere: sounding notes end, lanes and clocks are sent as they are there. */
static void send_position(Word *h, const Word *t, Word frame, Word offset) {
  notes_off(h, offset);
  chase(h, t, frame, offset);
  begin_notes(h, t, frame, offset);
  start_clock(h, t, frame, offset);
}

/* What lies from song frame `heard` up to `last`; frame `song` is at `offset`. */
static void emit_messages(Word *h, const Word *t, double song, Word heard, double last, Word offset, double speed) {
  Word at = before(t[T_FRAME], 0, t[T_COUNT], (double)heard);
  while (at < t[T_COUNT] && (double)int64_at(t[T_FRAME], at) < last) {
    Word when = offset + (Word)(((double)int64_at(t[T_FRAME], at) - song) / speed);
    Word port = int64_at(t[T_PORT], at), data = t[T_DATA] + 3 * at;
    write_message(h, port, when, data, int64_at(t[T_SIZE], at));
    note_sounding(h, port, data);
    at += 1;
  }
  emit_clock(h, t, song, heard, last, offset, speed);
}

/* The song is stopped at `frame`: lanes are sent as they are there, and where it is, if it was moved there. */
static void send_rest(Word *h, const Word *t, Word frame, Word offset, bool moved) {
  chase(h, t, frame + 1, offset);
  if (!moved) return;
  send_full_frame(h, t, frame, offset);
  if (h[CLOCK_ON]) {
    Word early = before(t[T_CLOCK_FRAME], 0, t[T_CLOCKS], (double)frame);
    send_song_position(h, smaller((early + 5) / 6, LAST_POSITION), offset);
  }
}

static void stop_messages(Word *h, Word offset) {
  notes_off(h, offset);
  stop_clock(h, offset);
}
#endif
