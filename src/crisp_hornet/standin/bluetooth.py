# mypy: ignore-errors
# D-Bus methods carry their signatures where Python expects types.
"""A stand-in for the system's Bluetooth service on a private bus: one adapter, one device with a serial-like service.

The application's own Bluetooth client talks to it unchanged when ``DBUS_SYSTEM_BUS_ADDRESS`` points at the bus. Interface names and
behaviour follow the published D-Bus interface of the Linux Bluetooth service (org.bluez Adapter1, Device1, GattService1,
GattCharacteristic1).
"""

import asyncio

from dbus_fast import PropertyAccess
from dbus_fast.aio import MessageBus
from dbus_fast.service import ServiceInterface, dbus_property, method

from crisp_hornet.standin.peers import peer_of

ADDRESS = "0E:C0:DE:00:41:17"
ADAPTER = "/org/bluez/hci0"
DEVICE = f"{ADAPTER}/dev_{ADDRESS.replace(':', '_')}"
SERVICE = f"{DEVICE}/service0010"
ADVERTISE_S = 0.1
LARGEST_WRITE = 20  # of one packet without its header, the least that every device must carry
READ = PropertyAccess.READ


class Adapter(ServiceInterface):
    """The radio."""

    def __init__(self, heard):
        super().__init__("org.bluez.Adapter1")
        self._heard = heard
        self._listeners = 0
        self.powered = True

    @dbus_property(access=READ)
    def Address(self) -> "s":
        return "00:C0:DE:00:00:01"

    @dbus_property(access=READ)
    def Name(self) -> "s":
        return "simulated radio"

    @dbus_property(access=READ)
    def Powered(self) -> "b":
        return self.powered

    @dbus_property(access=READ)
    def Discovering(self) -> "b":
        return True

    @dbus_property(access=READ)
    def Roles(self) -> "as":
        return ["central"]

    @method()
    def SetDiscoveryFilter(self, properties: "a{sv}"):
        pass

    @method()
    def StartDiscovery(self):
        self._listeners += 1
        if self._listeners == 1:
            self._advertise()

    def _advertise(self):
        """Be heard again and again while anyone listens, as devices are."""
        if self._listeners > 0:
            self._heard()
            asyncio.get_running_loop().call_later(ADVERTISE_S, self._advertise)

    @method()
    def StopDiscovery(self):
        self._listeners = max(0, self._listeners - 1)


class Device(ServiceInterface):
    """The controller as the radio sees it."""

    def __init__(self, name, services):
        super().__init__("org.bluez.Device1")
        self._name, self._services = name, services
        self._connected = False
        self.left = lambda: None

    @dbus_property(access=READ)
    def Address(self) -> "s":
        return ADDRESS

    @dbus_property(access=READ)
    def Name(self) -> "s":
        return self._name

    @dbus_property(access=READ)
    def Alias(self) -> "s":
        return self._name

    @dbus_property(access=READ)
    def Adapter(self) -> "o":
        return ADAPTER

    @dbus_property(access=READ)
    def UUIDs(self) -> "as":
        return self._services

    @dbus_property(access=READ)
    def RSSI(self) -> "n":
        return -58

    @dbus_property(access=READ)
    def Paired(self) -> "b":
        return False

    @dbus_property(access=READ)
    def Connected(self) -> "b":
        return self._connected

    @dbus_property(access=READ)
    def ServicesResolved(self) -> "b":
        return self._connected

    @method()
    def Connect(self):
        self._set(True)

    @method()
    def Disconnect(self):
        self.left()
        self._set(False)

    def advertise(self):
        """Be heard by whoever listens."""
        self.emit_properties_changed({"RSSI": -58})

    def drop(self):
        """Out of range."""
        self._set(False)

    def _set(self, connected):
        self._connected = connected
        self.emit_properties_changed({"Connected": connected, "ServicesResolved": connected})


class Service(ServiceInterface):
    """The serial-like service."""

    def __init__(self, uuid):
        super().__init__("org.bluez.GattService1")
        self._uuid = uuid

    @dbus_property(access=READ)
    def UUID(self) -> "s":
        return self._uuid

    @dbus_property(access=READ)
    def Device(self) -> "o":
        return DEVICE

    @dbus_property(access=READ)
    def Primary(self) -> "b":
        return True

    @dbus_property(access=READ)
    def Includes(self) -> "ao":
        return []


class Characteristic(ServiceInterface):
    """One end of the line: written to, or notifying."""

    def __init__(self, uuid, flags, written):
        super().__init__("org.bluez.GattCharacteristic1")
        self._uuid, self._flags, self._written = uuid, flags, written
        self._value = b""
        self.notifying = False

    @dbus_property(access=READ)
    def UUID(self) -> "s":
        return self._uuid

    @dbus_property(access=READ)
    def Service(self) -> "o":
        return SERVICE

    @dbus_property(access=READ)
    def Value(self) -> "ay":
        return self._value

    @dbus_property(access=READ)
    def Notifying(self) -> "b":
        return self.notifying

    @dbus_property(access=READ)
    def Flags(self) -> "as":
        return self._flags

    @dbus_property(access=READ)
    def MTU(self) -> "q":
        return LARGEST_WRITE + 3

    @method()
    def WriteValue(self, value: "ay", options: "a{sv}"):
        self._written(bytes(value))

    @method()
    def StartNotify(self):
        self.notifying = True

    @method()
    def StopNotify(self):
        self.notifying = False

    def tell(self, value):
        """Notify a piece."""
        self._value = value
        self.emit_properties_changed({"Value": value})


class Radio:
    """The service on its bus, with the controller behind it."""

    address = ADDRESS

    def __init__(self, bus, controller, after):
        self._bus, self._controller, self._after = bus, controller, after
        ids = controller.map.bluetooth
        self.device = Device(controller.map.name, [ids.service])
        self.device.left = self._fresh
        self._notify = Characteristic(ids.notify, ["notify"], lambda data: None)
        write = Characteristic(ids.write, ["write-without-response"], self._receive)
        self._fresh()
        self.adapter = Adapter(self.device.advertise)
        bus.export(ADAPTER, self.adapter)
        bus.export(DEVICE, self.device)
        bus.export(SERVICE, Service(ids.service))
        bus.export(f"{SERVICE}/char0011", write)
        bus.export(f"{SERVICE}/char0014", self._notify)

    def close(self):
        """Leave the bus."""
        self._bus.disconnect()

    def _fresh(self):
        self._peer = peer_of(self._controller)

    def _receive(self, data):
        answer = self._peer.receive(data[:LARGEST_WRITE])
        for delay_s, piece in self._after(answer, self._peer.wrote) if answer else []:
            for start in range(0, len(piece), LARGEST_WRITE):
                asyncio.get_running_loop().call_later(delay_s, self._notify.tell, piece[start : start + LARGEST_WRITE])


async def open_bluetooth(bus_address, controller, after):
    """Claim the service's name on the bus at ``bus_address`` and show the controller there."""
    if controller.map.bluetooth is None:
        raise ValueError(f"{controller.map.name} has no Bluetooth")
    bus = await MessageBus(bus_address=bus_address).connect()
    radio = Radio(bus, controller, after)
    await bus.request_name("org.bluez")
    return radio
