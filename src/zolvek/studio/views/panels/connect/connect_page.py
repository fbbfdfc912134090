# SPDX-License-Identifier: GPL-3.0-or-later
"""The Connect page: what comes in from other programs and machines, and what goes to them."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QWidget

from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.fields import Entry, NumberEntry
from zolvek.studio.toolkit.widgets import choice, field_label, form, note, page_layout
from zolvek.studio.views.panels.connect.sync_page import Together
from zolvek.studio.views.panels.connect.voltage_page import VoltagePage

NO_PORTS = "No MIDI ports found. Use the controller on the Record panel instead."
LOWEST_PORT, HIGHEST_PORT = 1_024, 65_535


class ConnectPage(QWidget):
    """In sync with other programs through JACK or PipeWire; MIDI ports of the machine; and OSC: lanes are sent to an
    address
    while they play, and what comes in
    at a port moves the controls that it names."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.session, self.midi_io, self.osc = studio.session, studio.midi_io, studio.osc
        settings = self.session.settings
        layout = page_layout(self)
        self.together = Together(studio)
        layout.addWidget(self.together)
        self.voltage = VoltagePage(studio)
        layout.addWidget(self.voltage)
        layout.addWidget(field_label("MIDI ports"))
        self.ports_in = choice([("None", "")], "MIDI input", self._listen)
        self.ports_out = choice([("None", "")], "MIDI output", self._send)
        ports = form()
        ports.addRow(field_label("Input"), self.ports_in)
        ports.addRow(field_label("Output"), self.ports_out)
        self.ports = QWidget()
        self.ports.setLayout(ports)
        layout.addWidget(self.ports)
        self.no_ports = note(NO_PORTS)
        layout.addWidget(self.no_ports)
        layout.addWidget(field_label("OSC output"))
        self.sends = QCheckBox("Send lanes while playing")
        self.sends.setToolTip("Sends position and value of each lane to /zolvek/track/device/parameter")
        self.sends.toggled.connect(self._switch_out)
        layout.addWidget(self.sends)
        self.to = Entry("OSC address", self._address, "Host and port, such as 127.0.0.1:9000")
        self.to.setText(settings.connect.osc_address)
        self.rate = NumberEntry(
            "OSC rate", 1.0, 250.0, settings.connect.osc_rate, "per second", 0, 10.0, changed=self._rate
        )
        out = form()
        out.addRow(field_label("To"), self.to)
        out.addRow(field_label("Rate"), self.rate)
        self.lead = NumberEntry("OSC lead", 0.0, 200.0, settings.connect.osc_lead_ms, "ms", 0, 5.0, changed=self._lead)
        self.lead.setToolTip(
            "Packets are sent this early, with the time they are meant for; many receivers ignore that"
        )
        out.addRow(field_label("Lead"), self.lead)
        layout.addLayout(out)
        layout.addWidget(field_label("OSC input"))
        self.listens = QCheckBox("Receive OSC")
        self.listens.setToolTip("A number from 0 to 1 at the same addresses moves the control")
        self.listens.toggled.connect(self._switch_in)
        layout.addWidget(self.listens)
        self.at = NumberEntry(
            "OSC port", LOWEST_PORT, HIGHEST_PORT, settings.connect.osc_port, "", 0, changed=self._port
        )
        self.anywhere = QCheckBox("Accept other machines")
        self.anywhere.setToolTip("Otherwise only from this machine")
        self.anywhere.toggled.connect(lambda _: self._switch_in(self.listens.isChecked()))
        into = form()
        into.addRow(field_label("Port"), self.at)
        layout.addLayout(into)
        layout.addWidget(self.anywhere)
        self.said = note()
        layout.addWidget(self.said)
        layout.addStretch(1)
        self.osc.changed.connect(self._say)
        self._look_for_ports()
        self._say()

    # --- MIDI ports ---

    def _look_for_ports(self) -> None:
        from zolvek.sync.ports import midi_ports as ports

        result = ports.inputs(), ports.outputs()
        for box, names in zip((self.ports_in, self.ports_out), result, strict=True):
            for name in names:
                box.addItem(name, name)
        self.ports.setVisible(any(result))
        self.no_ports.setVisible(not any(result))

    def _listen(self, name: object) -> None:
        self.session.notices.run_guarded(lambda: self.midi_io.listen_to(str(name) or None))

    def _send(self, name: object) -> None:
        self.session.notices.run_guarded(lambda: self.midi_io.send_to(str(name) or None))

    # --- OSC ---

    def _address(self, text: str) -> None:
        """Raises ZolvekError for what is none: said under the field."""
        from zolvek.sync.timeline.osc_messages import place

        place(text)
        self.session.settings.connect.osc_address = text.strip()
        if self.sends.isChecked():
            self.osc.send_to(text)

    def _rate(self, rate: float) -> None:
        self.session.settings.connect.osc_rate = rate
        self.osc.send_state()

    def _lead(self, lead: float) -> None:
        self.session.settings.connect.osc_lead_ms = lead
        self.osc.send_state()

    def _port(self, port: float) -> None:
        self.session.settings.connect.osc_port = int(port)
        if self.listens.isChecked():
            self._switch_in(True)

    def _switch_out(self, on: bool) -> None:
        self.session.notices.run_guarded(lambda: self.osc.send_to(self.to.text() if on else ""))
        if on and not self.osc.sends_to:
            self.sends.setChecked(False)

    def _switch_in(self, on: bool) -> None:
        port = int(self.at.number) if on else 0
        self.session.notices.run_guarded(lambda: self.osc.listen_at(port, self.anywhere.isChecked()))
        if on and not self.osc.port:
            self.listens.setChecked(False)

    def _say(self) -> None:
        """What goes on, in a line each."""
        lines = []
        out, into = self.osc.output, self.osc.input
        if out is not None:
            lost = f", {out.refused} refused" if out.refused else ""
            lines.append(f"{out.sent} packets sent{lost}.")
        if into is not None:
            bad = f", {into.bad} packets were not OSC" if into.bad else ""
            strange = f", {self.osc.strange} for no control" if self.osc.strange else ""
            waits = f", {into.left_out} replaced by newer ones" if into.left_out else ""
            ignored = f" {into.own} were our own and ignored." if into.own else ""
            lines.append(f"{into.came} messages received{strange}{bad}{waits}.{ignored}")
        replaced = self.midi_io.incoming.replaced
        if replaced:
            lines.append(f"{replaced:,} MIDI moves replaced by newer ones.")
        self.said.setText("\n".join(lines))
        self.said.setVisible(bool(lines))
