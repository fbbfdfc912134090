/* SPDX-License-Identifier: GPL-3.0-or-later
 * The emission of messages by name, so that a test can hold it to what zolvek.sync.emission.message_emission does. */
#include "emission.h"

void zolvek_send_position(Word *h, const Word *t, Word frame, Word offset) { send_position(h, t, frame, offset); }
void zolvek_chase_changed(Word *h, const Word *t, Word frame, const Word *old, Word was_frame, Word offset) {
  chase_changed(h, t, frame, old, was_frame, offset);
}
void zolvek_emit_messages(Word *h, const Word *t, double song, Word heard, double last, Word offset, double speed) {
  emit_messages(h, t, song, heard, last, offset, speed);
}
void zolvek_stop_messages(Word *h, Word offset) { stop_messages(h, offset); }
void zolvek_send_rest(Word *h, const Word *t, Word frame, Word offset, int moved) { send_rest(h, t, frame, offset, moved); }
void zolvek_hush(Word *h, Word offset) { hush(h, offset); }
