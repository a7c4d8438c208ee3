"""What a description of a controller's own frames must say: the envelope, the pages, and a question for everything."""

from __future__ import annotations

from crisp_hornet.documents.acts import Ask, Command
from crisp_hornet.documents.checksums import width_of
from crisp_hornet.documents.described import Described
from crisp_hornet.documents.kinds import Block, Checksum, Frames
from crisp_hornet.documents.map_checks.acts import acts_of, check_acts
from crisp_hornet.documents.map_checks.faulty import faulty

Sent = tuple[int, bytes]


def check_frames(found: Described) -> None:
    """Envelope, pages, questions. Raises what :func:`faulty` makes."""
    if found.frames is None:
        raise faulty("a frames line needs the section frames with the parts of a frame")
    _check_envelope(found.frames)
    _check_pages(found)
    _check_live(found)
    if found.identity.ask is None or found.identity.product_at is None:
        raise faulty(
            "identity needs ask and product_at: who answers must be known before anything is written", "identity"
        )
    acts = acts_of(found)
    for one in acts:
        if one.command.ask is None:
            raise faulty(f"{one.name} needs ask, the frame it is asked by", *one.place)
    check_acts(acts, _target, _in_words, _other_questions(found), "ask")
    for part in ("update", "logs"):
        if getattr(found, part) is not None:
            raise faulty(f"{part} cannot be described for frames", part)


def _check_envelope(frames: Frames) -> None:
    parts = frames.parts
    for part in ("start", "end", "address", "length", "checksum"):
        given = getattr(frames, part) not in (None, "")
        if given != (part in parts):
            raise faulty(f"{part} must be given and stand among the parts, or neither", "frames", part)
    wrong = {
        "a part stands twice": len(set(parts)) < len(parts),
        "a frame without command and payload tells no question from another": not {"command", "payload"} <= set(parts),
        "frames without a checksum are not written to: damage would pass for a setting": "checksum" not in parts,
        "where a frame ends must be told: by length or end": not {"length", "end"} & set(parts),
        "start is the first part": "start" in parts[1:],
        "end is the last part": "end" in parts[:-1],
    }
    for text, is_so in wrong.items():
        if is_so:
            raise faulty(text, "frames", "parts")
    if frames.length is not None and parts.index("length") > parts.index("payload"):
        raise faulty("the length stands before the payload", "frames", "parts")
    if frames.length is None and frames.escape is None:
        raise faulty("an end byte needs an escape: the payload may hold the same byte", "frames", "end")
    checksum = frames.checksum
    assert checksum is not None  # it stands among the parts
    if {"checksum", "end"} & set(checksum.over) or not set(checksum.over) <= set(parts):
        raise faulty(
            "a checksum is made of other parts of the frame, not of itself or the end", "frames", "checksum", "over"
        )
    if _width(checksum, "frames", "checksum") % 8:
        raise faulty("a checksum has 8, 16, 24 or 32 bits", "frames", "checksum", "width")


def _check_pages(found: Described) -> None:
    pages = {block.name: block for block in found.block}
    if len(pages) < len(found.block):
        raise faulty("two blocks have the same name", "block")
    for index, block in enumerate(found.block):
        _check_checksum(block, index)
    taken: dict[tuple[str, int], str] = {}
    for index, register in enumerate(found.register_list):
        if register.block is None or register.at is None:
            raise faulty(f"register {register.name} needs block and at", "register", index)
        page = pages.get(register.block)
        if page is None:
            raise faulty(f"register {register.name}: there is no block {register.block}", "register", index, "block")
        if register.access == "rw" and page.write is None:
            raise faulty(f"register {register.name}: block {page.name} is never written", "register", index, "block")
        if register.at + register.size > page.length:
            raise faulty(
                f"register {register.name} reaches beyond its block of {page.length} bytes", "register", index, "at"
            )
        own = range(register.number_bits)
        for bit in own:
            place = (page.name, 8 * register.at + (register.bit or 0) + bit)
            if place in taken:
                raise faulty(f"register {register.name} overlaps {taken[place]}", "register", index, "at")
            taken[place] = register.name


def _check_checksum(block: Block, index: int) -> None:
    checksum = block.checksum
    if checksum is None:
        return
    lies = range(checksum.at, checksum.at + _width(checksum, "block", index, "checksum") // 8)
    if lies.stop > block.length or checksum.first + checksum.count > block.length:
        raise faulty(f"the checksum of block {block.name} lies outside it", "block", index, "checksum")
    if set(lies) & set(range(checksum.first, checksum.first + checksum.count)):
        raise faulty(f"the checksum of block {block.name} is made of itself", "block", index, "checksum")


def _width(checksum: Checksum, *place: str | int) -> int:
    try:
        return width_of(checksum)
    except ValueError as error:
        raise faulty(str(error), *place, "name") from None


def _check_live(found: Described) -> None:
    live = found.telemetry
    if live is None or (live.ask is None) == (live.heard is None):
        raise faulty("telemetry needs ask (asked for) or heard (sent unasked)", "telemetry")
    for index, channel in enumerate(live.channel):
        if channel.at is None:
            raise faulty(f"channel {channel.name} needs at", "telemetry", "channel", index)
    assert found.frames is not None
    if live.bytes_long > found.frames.longest:
        raise faulty("the live values are longer than the longest frame", "telemetry")


def _other_questions(found: Described) -> dict[Sent, str]:
    """What is sent for anything but an act."""
    asked: dict[Sent, str] = {}
    if found.identity.ask is not None:
        asked[_sent(found.identity.ask)] = "the identity"
    if found.telemetry is not None and found.telemetry.ask is not None:
        asked[_sent(found.telemetry.ask)] = "the live values"
    for index, block in enumerate(found.block):
        for key in ("read", "write"):
            ask: Ask | None = getattr(block, key)
            if ask is not None:
                if _sent(ask) in asked:
                    raise faulty(f"block {block.name} is asked as {asked[_sent(ask)]} is", "block", index, key)
                asked[_sent(ask)] = f"block {block.name}"
    return asked


def _sent(ask: Ask) -> Sent:
    return ask.command, ask.sent


def _target(command: Command) -> tuple[Sent, object]:
    assert command.ask is not None  # looked at before
    return _sent(command.ask), None


def _in_words(sent: Sent) -> str:
    return f"command {sent[0]:#04x} {sent[1].hex(' ')}".rstrip()
