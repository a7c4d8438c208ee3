"""Electronic data sheets (EDS): a description begun from one, and one made of a description. Source: CiA 306.

Begun, not finished: an EDS names objects, not what they mean. Each writable number becomes a setting called ``calibration.…``, to be
renamed to a setting of the tune by whoever knows; live values are what may be mapped into a PDO.
"""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import canopen
from canopen import objectdictionary as od

from crisp_hornet.documents import wire
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.register import Coded, Object

TYPES = {
    od.UNSIGNED8: "u8", od.INTEGER8: "i8", od.UNSIGNED16: "u16", od.INTEGER16: "i16", od.UNSIGNED24: "u24", od.INTEGER24: "i24",
    od.UNSIGNED32: "u32", od.INTEGER32: "i32", od.BOOLEAN: "u8",
}  # fmt: skip
MAKER_S = range(0x2000, 0xA000)  # the maker's own objects, and those of device profiles
MAX_BYTES, MOST_OBJECTS, MOST = 1 << 20, 2000, 10**9


def begun_from(path: Path) -> str:
    """A description's text to go on with. Raises :class:`DocumentError` for a file that is no EDS."""
    try:
        text = wire.read_bytes(path, MAX_BYTES).decode("utf-8", "replace")
        read: Any = canopen.import_od(_Named(text, path.name))
    except DocumentError:
        raise
    except Exception as error:  # noqa: BLE001 - the library raises whatever its parser does
        why = f"no EDS that can be read ({type(error).__name__}: {error})"[:300]
        raise DocumentError(str(path), "", why, "Ask the maker for another.") from None
    return "\n".join(_lines(read, path.stem)) + "\n"


def eds_of(described: ControllerMap, path: Path) -> None:
    """Write a description's objects as an EDS. Raises :class:`DocumentError`."""
    if described.canopen is None:
        raise DocumentError(described.name, "line.kind", f"is {described.line.kind}", "Only CANopen has objects.")
    made: Any = canopen.ObjectDictionary()  # type: ignore[no-untyped-call]
    made.node_id, made.bitrate = described.line.device, described.canopen.bitrate
    info: Any = made.device_information
    info.vendor_name, info.product_name = described.identity.vendor, described.identity.product
    info.vendor_number, info.product_number = described.canopen.vendor_id, described.canopen.product_code
    records: dict[int, Any] = {}
    for register in described.register_list:
        if register.object is not None:
            _add(records, register.object, register.label, register.type, register.access)
    for channel in described.channels:
        if channel.object is not None:
            _add(records, channel.object, channel.name, channel.type, "live")
    for record in records.values():
        count = od.ODVariable("number of entries", record.index, 0)
        count.data_type, count.access_type, count.default = od.UNSIGNED8, "ro", max(record.subindices)
        record.add_member(count)
        made.add_object(record)
    text = io.StringIO()
    canopen.export_od(made, text, "eds")
    wire.write_text(path, text.getvalue())


def _add(records: dict[int, Any], place: Object, name: str, kind: str, access: str) -> None:
    index, sub = place
    variable: Any = od.ODVariable(name, index, sub)
    variable.data_type = next(number for number, one in TYPES.items() if one == kind)
    variable.access_type = "rw" if access == "rw" else "ro"
    variable.pdo_mappable = access == "live"
    records.setdefault(index, od.ODRecord(f"object {index:04X}", index)).add_member(variable)


class _Named(io.StringIO):
    """A text that the library takes for an open file of that name."""

    def __init__(self, text: str, name: str) -> None:
        super().__init__(text)
        self.name = name


def _lines(read: Any, name: str) -> Iterator[str]:
    info = read.device_information
    product = str(getattr(info, "product_name", "") or name)
    yield f"# Begun from {name}. Rename each calibration.… that is a setting of the tune, give units, scales and limits, then check-map."
    yield 'format = "crisp-hornet/controller-map"'
    yield "version = 1"
    yield f"name = {_quoted(product)}"
    yield f"\n[identity]\nvendor = {_quoted(str(getattr(info, 'vendor_name', '') or 'unknown'))}\nproduct = {_quoted(product)}"
    yield f'\n[line]\nkind = "canopen"\ndevice = {read.node_id or 1}'
    yield (
        f"\n[canopen]\nvendor_id = {int(getattr(info, 'vendor_number', 0) or 0):#010x}\n"
        f"product_code = {int(getattr(info, 'product_number', 0) or 0):#010x}\nbitrate = {read.bitrate or 500000}\npdos = [1, 2, 3, 4]"
    )
    live, taken = [], set[str]()
    for variable in _variables(read):
        kind = TYPES.get(variable.data_type)
        if kind is None:
            continue
        key = _key(variable, taken)
        if variable.access_type in ("rw", "rww", "rwr", "wo"):
            yield _setting(variable, key, kind)
        elif variable.pdo_mappable:
            live.append(
                f'#   {{ name = "…", object = [{variable.index:#06x}, {variable.subindex}], type = "{kind}" }},  # {variable.name}'
            )
    yield "\n[telemetry]  # name each after a channel of docs/formats.md; pack_v, wheel_speed_kmh and throttle first\nchannel = ["
    yield from live
    yield "]"
    yield '\n[keep]  # store parameters: the word "save"\nobject = [0x1010, 1]\nvalue = 0x65766173'


def _setting(variable: Any, key: str, kind: str) -> str:
    low, high = Coded(type=kind).raw_range  # type: ignore[arg-type]
    least = variable.min if variable.min is not None else low
    most = variable.max if variable.max is not None else high
    return (
        f'\n[[register]]\nname = "calibration.{key}"\nlabel = {_quoted(variable.name)}\n'
        f'object = [{variable.index:#06x}, {variable.subindex}]\ntype = "{kind}"\nmin = {max(least, -MOST)}\nmax = {min(most, MOST)}'
    )


def _variables(read: Any) -> Iterator[Any]:
    """The maker's numbers, one after the other."""
    count = 0
    for index in sorted(read):
        if index not in MAKER_S:
            continue
        entry = read[index]
        inside = [entry] if isinstance(entry, od.ODVariable) else [entry[sub] for sub in sorted(entry) if sub]
        for variable in inside:
            count += 1
            if count > MOST_OBJECTS:
                return
            yield variable


def _key(variable: Any, taken: set[str]) -> str:
    key = (
        re.sub(r"[^a-z0-9]+", "_", variable.name.lower()).strip("_")[:60]
        or f"object_{variable.index:04x}_{variable.subindex}"
    )
    if key in taken:
        key = f"{key}_{variable.index:04x}_{variable.subindex}"
    taken.add(key)
    return key


def _quoted(text: str) -> str:
    told = text.replace("\\", "/").replace('"', "'").strip()[:100] or "unknown"
    return f'"{"".join(one for one in told if one.isprintable())}"'
