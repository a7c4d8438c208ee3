"""Pages of settings: numbers in bytes and bits, and the checksum a page may hold of itself."""

from __future__ import annotations

from crisp_hornet.documents.checksums import checksum_of, width_of
from crisp_hornet.documents.kinds import Block, Order
from crisp_hornet.documents.register import Coded


def raw_in(page: bytes, at: int, coded: Coded, order: Order) -> int:
    """The raw number that stands there."""
    whole = int.from_bytes(page[at : at + coded.size], order)
    return whole if coded.bit is None else whole >> coded.bit & ((1 << coded.bits) - 1)


def with_raw(page: bytes, at: int, coded: Coded, order: Order, raw: int) -> bytes:
    """The page with another raw number there; the bits beside it stay."""
    if coded.bit is not None:
        whole = int.from_bytes(page[at : at + coded.size], order)
        mask = ((1 << coded.bits) - 1) << coded.bit
        raw = whole & ~mask | raw << coded.bit & mask
    return page[:at] + raw.to_bytes(coded.size, order) + page[at + coded.size :]


def sealed(page: bytes, block: Block) -> bytes:
    """The page with its own checksum made anew, where it has one."""
    checksum = block.checksum
    if checksum is None:
        return page
    size = width_of(checksum) // 8
    told = checksum_of(checksum, page[checksum.first : checksum.first + checksum.count])
    return page[: checksum.at] + told.to_bytes(size, checksum.order) + page[checksum.at + size :]


def still(page: bytes, block: Block) -> bytes:
    """The page without what moves on by itself, nor the checksum that moves with it."""
    places = list(block.moves)
    if block.moves and block.checksum is not None:
        places.append((block.checksum.at, width_of(block.checksum) // 8))
    for at, count in places:
        page = page[:at] + bytes(len(page[at : at + count])) + page[at + count :]
    return page


def is_sound(page: bytes, block: Block) -> bool:
    """Whether the page's own checksum fits."""
    return sealed(page, block) == page


def text_in(payload: bytes, at: int, length: int) -> str:
    """ASCII that ends early with 0 or spaces; what is no ASCII is shown as such."""
    return payload[at : at + length].split(b"\0")[0].decode("ascii", "replace").strip()
