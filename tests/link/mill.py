"""An invented controller, written from docs/formats.md alone and served by a Modbus library that nothing else here uses.

Its own layout: address 17, one block of settings, a serial number in an object of its own, a write that shows a moment after its answer.
"""

import threading

from pyModbusTCP.server import DataBank, DeviceIdentification, ModbusServer

DEVICE, SERIAL = 17, 0x81
SETTINGS, LIVE, KEEP, CLEAR, HOLD = 1000, 0, 1900, 1901, 1902
FIGURES = [
    # name, label, unit, scale, min, max, start
    ("drive.phase_current_a", "phase current", "A", 0.1, 0, 150, 90),
    ("drive.battery_current_a", "battery current", "A", 0.1, 0, 60, 30),
    ("drive.field_weakening_a", "field weakening", "A", 0.1, 0, 50, 0),
    ("drive.motor_rpm", "motor speed limit", "rpm", 1, 0, 5000, 600),
    ("drive.speed_taper_kmh", "speed limit taper", "km/h", 0.1, 0, 20, 2),
    ("regen.phase_current_a", "regen phase current", "A", 0.1, 0, 100, 20),
    ("regen.battery_current_a", "regen battery current", "A", 0.1, 0, 30, 5),
    ("regen.fade_start_v", "regen cutoff start", "V", 0.01, 20, 90, 65),
    ("regen.fade_end_v", "regen cutoff end", "V", 0.01, 20, 90, 66.5),
    ("battery_guard.fade_start_v", "low-voltage cutoff start", "V", 0.01, 15, 90, 50),
    ("battery_guard.fade_end_v", "low-voltage cutoff end", "V", 0.01, 15, 90, 47),
    ("heat_guard.motor_fade_start_c", "motor derating start", "°C", 1, 0, 180, 105),
    ("heat_guard.motor_fade_end_c", "motor derating end", "°C", 1, 0, 180, 125),
    ("heat_guard.controller_fade_start_c", "controller derating start", "°C", 1, 0, 120, 75),
    ("heat_guard.controller_fade_end_c", "controller derating end", "°C", 1, 0, 120, 90),
    ("calibration.throttle_rest_v", "throttle at rest", "V", 0.001, 0, 5, 0.85),
]
CHANNELS = ["wheel_speed_kmh", "motor_rpm", "pack_v", "throttle", "brake", "fault", "not_kept", "beat", "held"]
DESCRIPTION = """
format = "crisp-hornet/controller-map"
version = 1
name = "Mill 20"
[identity]
vendor = "Tarnholm Mill"
product = "Mill 20"
serial_object = 0x81
[line]
device = 17
settle_s = 0.25
[telemetry]
address = 0
channel = [
    { name = "wheel_speed_kmh", at = 0, scale = 0.1, unit = "km/h" },
    { name = "motor_rpm", at = 1, type = "i16", unit = "rpm" },
    { name = "pack_v", at = 2, scale = 0.01, unit = "V" },
    { name = "throttle", at = 3, scale = 0.001 },
    { name = "brake", at = 4, scale = 0.001 },
    { name = "fault", at = 5 },
    { name = "unkept", at = 6 },
    { name = "heartbeat", at = 7 },
    { name = "inhibited", at = 8 },
]
[keep]
address = 1900
word = 7
unkept = "unkept"
[commands]
clear_faults = { address = 1901, word = 1 }
[inhibit]
address = 1902
on = 2
off = 3
state = "inhibited"
[[lacks]]
name = "drive.power_w"
reason = "It limits current only."
[[lacks]]
name = "drive.speed_kmh"
reason = "It has no speed limit."
"""


def description():
    rows = [
        f'[[register]]\nname = "{name}"\nlabel = "{label}"\naddress = {SETTINGS + at}\nscale = {scale}\nunit = "{unit}"\n'
        f"min = {least}\nmax = {most}\n"
        + ('safe = "higher"\n' if name.startswith("battery_guard") or "taper" in name else "")
        for at, (name, label, unit, scale, least, most, _) in enumerate(FIGURES)
    ]
    return DESCRIPTION + "\n".join(rows)


class _Memory(DataBank):
    """Settings that run and settings that are kept, as the description promises."""

    def __init__(self):
        super().__init__()
        self.running = [round(start / scale) for *_, scale, _, _, start in FIGURES]
        self.kept, self.held, self.beat = list(self.running), 0, 0
        self.late = threading.Timer(0, lambda: None)

    def get_holding_registers(self, address, number=1, srv_info=None):
        inside = address >= SETTINGS and address + number <= SETTINGS + len(FIGURES)
        return self.running[address - SETTINGS :][:number] if inside else None

    def get_input_registers(self, address, number=1, srv_info=None):
        if address + number > LIVE + len(CHANNELS):
            return None
        self.beat = (self.beat + 1) & 0xFFFF
        told = [0, 0, 6200, 0, 0, 0, int(self.running != self.kept), self.beat, self.held]
        return told[address:][:number]

    def set_holding_registers(self, address, word_list, srv_info=None):
        word = word_list[0]
        if address == KEEP and word == 7:
            self.kept = list(self.running)
        elif address == HOLD and word in (2, 3):
            self.held = int(word == 2)
        elif address == CLEAR and word == 1:
            pass
        elif address >= SETTINGS and address + len(word_list) <= SETTINGS + len(FIGURES):
            self.late = threading.Timer(0.1, self._show, (address - SETTINGS, list(word_list)))
            self.late.start()
        else:
            return None
        return True

    def _show(self, at, words):
        self.running[at : at + len(words)] = words

    def power_cycle(self):
        self.running, self.held = list(self.kept), 0


class Mill:
    """The controller behind a port of this machine."""

    def __init__(self):
        self.memory = _Memory()
        who = DeviceIdentification(
            b"Tarnholm Mill",
            b"Mill 20",
            b"1.4",
            user_application_name=b"same on every one",
            objects_id={SERIAL: b"M-0042"},
        )
        self._server = ModbusServer(host="127.0.0.1", port=0, no_block=True, data_bank=self.memory, device_id=who)
        self._server.start()
        self.port = f"tcp://127.0.0.1:{self._server._service.server_address[1]}"

    def holds(self):
        return {name: running * row[2] for (name, *row), running in zip(FIGURES, self.memory.running, strict=True)}

    def close(self):
        self.memory.late.cancel()
        self._server.stop()
