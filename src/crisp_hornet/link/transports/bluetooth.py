"""Bluetooth LE: RTU frames in packets, over a service that is like a serial line."""

from __future__ import annotations

import asyncio
import contextlib
import os
import queue
import threading
import time
from collections.abc import Coroutine, Sequence
from concurrent.futures import Future
from typing import Any, TypeVar

from pymodbus.client.base import ModbusBaseSyncClient
from pymodbus.framer import FramerType
from pymodbus.transport import CommParams, CommType

from crisp_hornet.documents.kinds import Bluetooth
from crisp_hornet.link.errors import PortFailed
from crisp_hornet.link.ports import Port

CONNECT_S, WRITE_S = 10.0, 2.0
WAY = "ble://"
T = TypeVar("T")


class BluetoothTransport:
    """A connection to one device, kept by a thread with an event loop of its own."""

    quiet_s = 0.06

    def __init__(self, address: str, radios: Sequence[Bluetooth], answer_s: float) -> None:
        self.address, self._radios = address, radios
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._loop.run_forever, name="bluetooth", daemon=True)
        self._radio: Any = None
        self._write = ""
        self._largest = 20
        self.came: queue.SimpleQueue[bytes] = queue.SimpleQueue()
        self.client = _Client(self, answer_s)

    @property
    def alive(self) -> bool:
        """Whether the device is still connected."""
        return self._radio is not None and bool(self._radio.is_connected)

    def open(self) -> None:
        """Connect and find the service. Raises :class:`PortFailed` with the reason."""
        from bleak.exc import BleakError

        self._thread.start()
        try:
            self._run(self._connect(), CONNECT_S)
        except (BleakError, OSError, TimeoutError, EOFError) as error:
            self.close()
            raise PortFailed(
                f"{self.address} cannot be reached", why_no_radio(error), "Bring it near, then try again."
            ) from error

    def send(self, data: bytes) -> None:
        """Write a frame in packets of the negotiated size. Raises :class:`OSError` when it is gone."""
        from bleak.exc import BleakError

        try:
            for start in range(0, len(data), self._largest):
                piece = data[start : start + self._largest]
                self._run(self._radio.write_gatt_char(self._write, piece, response=False), WRITE_S)
        except (BleakError, TimeoutError, EOFError, AttributeError) as error:
            raise OSError(str(error) or "the device is out of reach") from error

    def receive(self, within_s: float) -> bytes:
        """What has come, as soon as something has."""
        try:
            return self.came.get(timeout=max(within_s, 0.001))
        except queue.Empty:
            if not self.alive:
                raise OSError("the device is out of reach") from None
            return b""

    def waiting(self) -> int:
        """Throw away what came."""
        if not self.alive:
            raise OSError("the device is out of reach")
        count = 0
        with contextlib.suppress(queue.Empty):
            while True:
                count += len(self.came.get_nowait())
        return count

    def close(self) -> None:
        """Let go of the device and end the thread."""
        if self._radio is not None:
            with contextlib.suppress(Exception):  # whatever fails while letting go, it is let go
                self._run(self._radio.disconnect(), WRITE_S)
        self._radio = None
        if self._thread.is_alive():
            self._loop.call_soon_threadsafe(self._loop.stop)
            self._thread.join(WRITE_S)

    async def _connect(self) -> None:
        from bleak import BleakClient, BleakScanner
        from bleak.exc import BleakError

        device = await BleakScanner.find_device_by_address(self.address.removeprefix(WAY), timeout=CONNECT_S / 2)
        if device is None:
            raise BleakError("no device of that address is in reach")
        radio = BleakClient(device)
        await radio.connect()
        fits = next((one for one in self._radios if radio.services.get_service(one.service) is not None), None)
        if fits is None:
            await radio.disconnect()
            raise BleakError("it has no service that a controller's description knows")
        characteristic = radio.services.get_characteristic(fits.write)
        if characteristic is None:
            await radio.disconnect()
            raise BleakError("its service lacks the characteristic to write to")
        self._largest = max(20, characteristic.max_write_without_response_size)
        self._write = fits.write
        await radio.start_notify(fits.notify, lambda _characteristic, data: self.came.put(bytes(data)))
        self._radio = radio

    def _run(self, work: Coroutine[Any, Any, T], longest_s: float) -> T:
        future: Future[T] = asyncio.run_coroutine_threadsafe(work, self._loop)
        return future.result(longest_s)


class _Client(ModbusBaseSyncClient):
    """The library's client over our packets."""

    def __init__(self, transport: BluetoothTransport, answer_s: float) -> None:
        self._transport = transport
        params = CommParams(
            comm_type=CommType.TCP, comm_name="bluetooth", host=transport.address, timeout_connect=answer_s
        )
        super().__init__(FramerType.RTU, 0, params, None, None, None)

    @property
    def connected(self) -> bool:
        return self._transport.alive

    def connect(self) -> bool:
        return self._transport.alive

    def send(self, request: bytes, addr: tuple[Any, ...] | None = None) -> int:
        self._transport.send(request)
        return len(request)

    def recv(self, size: int | None) -> bytes:
        end = time.monotonic() + float(self.comm_params.timeout_connect or 0)
        came = b""
        while not came or (size and len(came) < size):
            try:
                came += self._transport.came.get(timeout=max(0.001, end - time.monotonic()))
            except queue.Empty:
                break
        return came


def scan(radios: Sequence[Bluetooth], seconds: float = 4.0) -> list[Port]:
    """The controllers in reach, the strongest first. Raises :class:`PortFailed` where there is no Bluetooth."""
    from bleak import BleakScanner
    from bleak.exc import BleakError

    known = {radio.service for radio in radios}
    try:
        found = asyncio.run(BleakScanner.discover(timeout=seconds, return_adv=True))
    except (BleakError, OSError, EOFError) as error:
        raise PortFailed(
            "Bluetooth cannot be used", why_no_radio(error), "Everything else works without it."
        ) from error
    heard = [
        (advert.rssi, Port(f"{WAY}{address}", f"{device.name or 'no name'}, {advert.rssi} dBm"))
        for address, (device, advert) in found.items()
        if known & set(advert.service_uuids)
    ]
    return [port for _, port in sorted(heard, key=lambda pair: -pair[0])]


def why_no_radio(error: BaseException) -> str:
    """A failure of the Bluetooth service in plain words."""
    from bleak.exc import BleakBluetoothNotAvailableError

    text = str(error).strip().rstrip(".")
    if isinstance(error, BleakBluetoothNotAvailableError):
        return "this machine has no Bluetooth adapter, or it is switched off"
    if isinstance(error, (FileNotFoundError, ConnectionError, EOFError)) or "ServiceUnknown" in text:
        return "this machine's Bluetooth service is not running"
    if isinstance(error, TimeoutError):
        return "it did not answer in time"
    if isinstance(error, OSError) and error.strerror:
        return os.strerror(error.errno or 0).lower()
    return (text or type(error).__name__)[:160]
