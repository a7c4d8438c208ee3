"""What holds for every description, whatever the kind of line."""

from __future__ import annotations

from collections import Counter
from difflib import get_close_matches

from crisp_hornet.documents.channels import LIVE
from crisp_hornet.documents.described import Described
from crisp_hornet.documents.kinds import HAND
from crisp_hornet.documents.map_checks.faulty import faulty
from crisp_hornet.documents.register import CALIBRATION, INFORMATION, Register
from crisp_hornet.documents.tune import KNOWN, SETTINGS, may_be_unlimited


def check_common(found: Described) -> None:
    """Names, ranges and live values. Raises what :func:`faulty` makes."""
    _check_names(found)
    _check_numbers(found)
    _check_channels(found)


def _check_names(found: Described) -> None:
    names = [register.name for register in found.register_list]
    for index, name in enumerate(names):
        if names.index(name) < index:
            raise faulty(f"register name {name} stands twice", "register", index, "name")
        if name not in KNOWN and not name.startswith((CALIBRATION, INFORMATION)):
            raise faulty(
                f"register {name!r} names no setting of a tune; others start with calibration. or info.",
                "register",
                index,
                "name",
            )
        if name.startswith(INFORMATION) and found.register_list[index].access != "r":
            raise faulty(f'register {name}: information is read only: access = "r"', "register", index, "access")
        if found.register_list[index].none_raw is not None and _always_has_a_value(name):
            raise faulty(f"{name} always has a value: no none_raw", "register", index, "none_raw")
        _check_share(found.register_list[index], names, index)
        _check_range(found.register_list[index], index)
    for index, lack in enumerate(found.lacks):
        if lack.name not in KNOWN:
            raise faulty(f"lacks {lack.name!r} names no setting of a tune", "lacks", index, "name")
        if lack.name in names:
            raise faulty(f"{lack.name} stands both as register and under lacks", "lacks", index, "name")
        if lack.value is None and _always_has_a_value(lack.name):
            raise faulty(f"{lack.name} always has a value: say what this controller does", "lacks", index, "value")
    lacking = {lack.name for lack in found.lacks}
    if found.line.kind == HAND:  # what a display does not show is as it is
        return
    if missing := [name for name in SETTINGS if name not in names and name not in lacking]:
        raise faulty(f"the setting {missing[0]} has neither a register nor an entry under lacks")


def _check_share(register: Register, names: list[str], index: int) -> None:
    if register.share_of is None:
        return
    if register.name != "drive.field_weakening_a":
        raise faulty(f"register {register.name} cannot be a share of another current", "register", index, "share_of")
    if register.share_of not in names:
        raise faulty(f"register {register.name} is a share of what has no register", "register", index, "share_of")


def _check_range(register: Register, index: int) -> None:
    """What the register must hold is inside what its word can hold, and "no limit" is no value."""
    if register.max < register.min:
        raise faulty(f"register {register.name}: max lies below min", "register", index, "max")
    low, high = (register.value_at(raw) for raw in register.raw_range)
    for key, value in (("min", register.min), ("max", register.max), ("default", register.default)):
        if value is not None and not low - register.step / 2 <= value <= high + register.step / 2:
            raise faulty(
                f"register {register.name}: {key} {value:g} does not fit its {register.type} (it holds {low:g} to {high:g})",
                "register", index, key,
            )  # fmt: skip
    if register.default is not None and not register.min <= register.default <= register.max:
        raise faulty(f"register {register.name}: default lies outside min and max", "register", index, "default")
    none = register.none_raw
    if none is None:
        return
    if none >> register.number_bits:
        raise faulty(
            f"register {register.name}: none_raw does not fit its {register.type}", "register", index, "none_raw"
        )
    if register.min <= register.value_of(none) <= register.max:
        raise faulty(
            f"register {register.name}: none_raw means {register.value_of(none):g} {register.unit} between min and max: a limit of that "
            "size would switch the limit off",
            "register", index, "none_raw",
        )  # fmt: skip


def _check_numbers(found: Described) -> None:
    for index, register in enumerate(found.register_list):
        if register.bit is not None and register.bit + register.bits > register.size_bits:
            raise faulty(
                f"register {register.name}: its bits do not fit its {register.type}", "register", index, "bits"
            )
        if register.table and len(register.table) > 1 << register.number_bits:
            raise faulty(f"register {register.name}: its table is longer than its numbers", "register", index, "table")


def _check_channels(found: Described) -> None:
    names = {channel.name for channel in found.channels}
    for index, channel in enumerate(found.channels):
        if channel.name not in LIVE:
            near = get_close_matches(channel.name, sorted(LIVE), 2)
            meant = f"; perhaps {' or '.join(near)}" if near else ""
            raise faulty(f"there is no live value {channel.name!r}{meant}", "telemetry", "channel", index)
    if found.keep is not None and found.keep.unkept is not None and found.keep.unkept not in names:
        raise faulty(f"keep.unkept names no telemetry channel: {found.keep.unkept!r}", "keep", "unkept")
    if found.inhibit is not None and found.inhibit.state not in names:
        raise faulty(f"inhibit.state names no telemetry channel: {found.inhibit.state!r}", "inhibit", "state")
    codes = Counter(fault.code for fault in found.fault)
    for index, fault in enumerate(found.fault):
        if codes[fault.code] > 1:
            raise faulty(f"fault code {fault.code} stands twice", "fault", index, "code")


def _always_has_a_value(name: str) -> bool:
    return name in KNOWN and not may_be_unlimited(name)
