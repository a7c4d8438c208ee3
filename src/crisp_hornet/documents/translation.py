"""A second language for texts: from messages, and from the templates of sentences whose figures are already in their places.

What the program says is written in English, as a message (``Nothing to send``) or a template (``{count} settings differ``). Most texts come
here finished, put together by whoever knew the figures, kept in a logbook, or handed on as the reason of an error. They are translated by
what they are made of: the message itself; else the template that fits it best, with what stands in its places translated in turn; else its
sentences and clauses one by one. What nobody knows, such as a name, stays as it is. Figures and days are
written as in the language.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping
from functools import cached_property, lru_cache
from string import Formatter

ENGLISH = "en"
LANGUAGES = {ENGLISH: "English", "de": "Deutsch"}  # of the window, as each calls itself
MONTHS = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)
SHORT_MONTHS = ("Jan", "Feb", "Mar", "Apr", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
BEGUN = (", ", "; ", ": ")  # a text that goes on behind another
BOTH = "{0} and {1}"  # messages, too
TO, FROM_TO = "to ", "{low} to {high}"
ISO_DAY, DAY = "{year}-{month}-{day}", "{day} {month}"  # messages, too: how days are written
_WORD = re.compile(r"[^\W\d_]{2,}")
_FRACTION = re.compile(r"(?<![\w.,])(?<![Ff]irmware )(?<![Vv]ersion )([−-]?\d+)\.(\d+)(?![\w.]*\w)")
_GROUPS = re.compile(r"(?<![\w.,])\d{1,3}(?:,\d{3})+(?![\w,])")
_ISO_DAY = re.compile(r"(?<![\w-])(\d{4})-(\d\d)-(\d\d)(?![\w-])")
_DAY = re.compile(r"(?<![\w.])(\d{1,2}) (" + "|".join((*MONTHS, *SHORT_MONTHS)) + r")\b")
_FIGURE_FIRST = re.compile(
    r"([#~≤≥<>±+−-]?\d[^A-Za-z]*(?:(?:[µmk]?[VAWΩ]h?|km/h|mph|kg|rpm|Hz|ms|s|m|K|N|°[CF]) )?)((?![CF]\b)[A-Za-z].*)",
    re.DOTALL,
)
_BEFORE_FIGURE = re.compile(r" (?=[\d±+−→(-])")
SHORT = 4  # words behind a name that may still be what it is
UNITS = {
    "to",
    "km",
    "mph",
    "kg",
    "lb",
    "ft",
    "Ah",
    "Wh",
    "kW",
    "kV",
    "rpm",
    "ms",
    "min",
    "mV",
    "mA",
    "Hz",
    "mi",
    "lbf",
    "mWb",
    "mm",
}
_UNIT_LAST = re.compile(
    r"(.*[A-Za-z]) ((?:[µmk]?[VAWΩF]h?|km/h|mph|°[CF]|kg|lb|rpm|1/min|%|×|s|ms|min|m|ft|N|N·m|K|W/K|Wh/km|Wh/mi|m/s²))",
    re.DOTALL,
)
_ENGLISH = re.compile(
    r"\b(?:the|of|and|is|are|to|with|not|from|for|on|by|no|it|its|this|what|than|be|or|but|only|as|at|a|an)\b"
)
_SENTENCES = re.compile(r"(?:(?<=[.!?…])|(?<=[.!?…]</b>)) (?=[A-Z“\d{<])")
_STRONG = re.compile(r"<b>([^<>]*)</b>")
_BRACKETS = re.compile(r"(.*?) ?\(([^()]*)\)(.*)", re.DOTALL)
_QUOTED = re.compile(r"“[^“”]*”")
SPACE, AND, COMMA = " ", " and ", ", "
SENTENCES = ("\n", SPACE, "; ", " · ", "   ")
CLAUSES = (" → ", ": ", COMMA, " / ")
ONCE = {": ": slice(0, 1), AND: slice(0, 1), COMMA: slice(-1, None)}  # the first parts a text, or the last
MANY = 20_000  # texts that are remembered; a drag makes new figures all the time


class _Template:
    """A message with places: the words it brings along, how many letters they have, its pattern, and its places in their order."""

    def __init__(self, message: str) -> None:
        self.message = message
        parsed = list(Formatter().parse(message))
        self.letters = sum(one.isalpha() for literal, _, _, _ in parsed for one in literal)
        marked = "".join(literal + ("\0" if name is not None else "") for literal, name, _, _ in parsed).lower()
        # a word that touches a place may be a part of one in the text
        self.words = frozenset(
            found[0]
            for found in _WORD.finditer(marked)
            if "\0" not in marked[max(found.start() - 1, 0) : found.end() + 1]
        )

        self.heads = bool(re.match(r"[^{}]+: {", message))  # it is a heading with something behind it

    @property
    def rarest(self) -> str:
        """The longest of its words; ``""`` where it has none."""
        return max(sorted(self.words), key=len, default="")

    def may_hold(self, places: tuple[str, ...], is_known: Callable[[str], bool]) -> bool:
        """Whether these can stand in its places: figures, names and clauses, never the end of one sentence and the beginning of the next.
        Only behind a colon may a place be longer than a template's own words are, or hold a clause of its own."""
        literals = [literal for literal, name, _, _ in Formatter().parse(self.message) if name is not None]
        tight = [place for place, before in zip(places, literals, strict=True) if not before.endswith((": ", "“"))]
        free = sum(len(_WORD.findall(place)) for place in tight if not is_known(place))
        open_end = self.message.endswith("}") and not literals[-1].endswith(": ") and re.search("[:;] ", places[-1])
        return (
            free <= max(2, self.letters // 2) and not open_end and not any(_SENTENCES.search(place) for place in tight)
        )

    @cached_property
    def names(self) -> list[str]:
        """Of its places."""
        return [name for _, name, _, _ in Formatter().parse(self.message) if name is not None]

    @cached_property
    def pattern(self) -> re.Pattern[str]:
        """What a text of this template looks like."""
        made = "".join(
            re.escape(literal) + ("(.*?)" if name is not None else "")
            for literal, name, _, _ in Formatter().parse(self.message)
        )
        return re.compile(made, re.DOTALL)


def is_template(message: str) -> bool:
    """Whether a message has places; one whose braces do not pair has none."""
    try:
        return bool(places_of(message))
    except ValueError:
        return False


def places_of(message: str) -> list[str]:
    """The names of a message's places, sorted; raises :class:`ValueError` for braces that do not pair."""
    return sorted(name for _, name, _, _ in Formatter().parse(message) if name is not None)


class Catalogue:
    """``messages``: English to the other language, templates with the same places on both sides. Figures are written with ``decimal`` and
    ``thousands``."""

    def __init__(self, messages: Mapping[str, str], decimal: str = ",", thousands: str = ".") -> None:
        whole = {message: text for message, text in messages.items() if text}
        parts = dict(part for message, text in whole.items() for part in _sentences_of(message, text))
        unended = {
            message[:-1]: text[:-1]
            for message, text in whole.items()
            if message[-1] in ".:," and message[-1] == text[-1]
        }
        unbegun = {
            message[2:]: text[2:] for message, text in whole.items() if message[:2] in BEGUN and message[:2] == text[:2]
        }
        self._messages = unbegun | unended | parts | whole
        self._folded = {message.lower(): message for message in self._messages}
        self._decimal, self._thousands = decimal, thousands
        self._by_word: dict[str, list[_Template]] = defaultdict(list)
        for message in self._messages:
            if is_template(message) and (template := _Template(message)).rarest:
                self._by_word[template.rarest].append(template)
        self.text = lru_cache(MANY)(self._whole)
        self._said = lru_cache(MANY)(self._turned)

    def _whole(self, text: str) -> str:
        """A text in the other language; one of which more than half stayed English is somebody's own, and stays as it is."""
        text = _ISO_DAY.sub(self._iso_day, _DAY.sub(self._day, text))
        turned = self._said(text)
        left = len(_ENGLISH.findall(turned))
        return self._figures(text if left > 1 and 2 * left > len(_ENGLISH.findall(text)) else turned)

    def _figures(self, text: str) -> str:
        grouped = _GROUPS.sub(lambda found: found[0].replace(",", "\0"), text)
        return _FRACTION.sub(rf"\1{self._decimal}\2", grouped).replace("\0", self._thousands)

    def _iso_day(self, found: re.Match[str]) -> str:
        return self._messages.get(ISO_DAY, ISO_DAY).format(year=found[1], month=found[2], day=found[3])

    def _day(self, found: re.Match[str]) -> str:
        return self._messages.get(DAY, DAY).format(day=found[1], month=self._messages.get(found[2], found[2]))

    def _turned(self, text: str) -> str:
        core = text.strip()
        if not _WORD.search(core):
            return text
        if (strong := _STRONG.fullmatch(core)) is not None:
            return text.replace(strong[1], self._said(strong[1]))
        for way in (
            self._exact,
            self._named_figure,
            self._by_own_template,
            self._ended,
            self._by_sentences,
            self._by_clauses,
            self._by_beginning,
            self._by_and,
            self._by_template,
        ):
            if (turned := way(core)) is not None:
                at = text.index(core)
                return f"{text[:at]}{turned}{text[at + len(core) :]}"
        return text

    def _exact(self, text: str) -> str | None:
        if text in self._messages:
            return self._messages[text]
        message = self._folded.get(text.lower())
        if message is None:
            return None
        if text.isupper():
            return self._messages[message].upper()
        if text[1:] != message[1:]:
            return None
        return _as_begun(self._messages[message], text)

    def _by_own_template(self, text: str) -> str | None:
        """By a template that brings a good part of the text's letters along."""
        return self._by_template(text, sum(one.isalpha() for one in text) / 3)

    def _by_template(self, text: str, least: float = 0.0) -> str | None:
        words = set(_WORD.findall(text.lower()))
        candidates = [one for word in words for one in self._by_word.get(word, ()) if one.words <= words]
        several = bool(_SENTENCES.search(text))
        for template in sorted(candidates, key=lambda one: (-one.letters, len(one.names))):
            if not template.heads and (template.letters <= least or (several and template.letters * 2 < len(text))):
                continue  # its parts are asked first
            for begun in (text, _other_case(text)):
                found = template.pattern.fullmatch(begun)
                if found is not None and template.may_hold(found.groups(), self._is_known):
                    said = {name: self._said(place) for name, place in zip(template.names, found.groups(), strict=True)}
                    return _as_begun(_filled(self._messages[template.message], said), text)
        return None

    def _by_beginning(self, text: str) -> str | None:
        """A figure before words, as ``3 notes``; or a name before its figure, as ``phase current 120 A``."""
        if (found := _FIGURE_FIRST.fullmatch(text)) is not None:
            if found[2].startswith(TO):
                places = {"low": found[1].rstrip(), "high": self._said(found[2].removeprefix(TO))}
                return _filled(self._messages.get(FROM_TO, FROM_TO), places)
            turned = self._said(found[2])
            return f"{found[1]}{turned}" if turned != found[2] else None
        if (found := _UNIT_LAST.fullmatch(text)) is not None:
            turned = self._said(found[1])
            return f"{turned} {found[2]}" if turned != found[1] else None
        before, _, after = text.partition(" to ")
        if after and (name := self._exact(before)) is not None and len(_WORD.findall(after)) <= SHORT:
            return f"{name} → {self._said(after)}"
        for found in reversed(list(re.finditer(" ", text))):
            name, rest = self._exact(text[: found.start()]), text[found.end() :]
            if (
                name is not None
                and len(_WORD.findall(rest)) <= SHORT
                and ((turned := self._said(rest)) != rest or self._is_known(rest))
            ):
                return f"{name} {turned}"
        return None

    def _named_figure(self, text: str) -> str | None:
        """``phase current 120 A``, ``phase current 120 A to 124 A``, ``3 notes``."""
        if (found := _FIGURE_FIRST.fullmatch(text)) is not None and (name := self._exact(found[2])) is not None:
            return f"{found[1]}{name}"
        for found in reversed(list(_BEFORE_FIGURE.finditer(text))):
            name, rest = self._exact(text[: found.start()]), text[found.end() :]
            if name is not None and all(word in UNITS for word in _WORD.findall(rest)):
                return f"{name} {rest.replace(' to ', ' → ')}"
        return None

    def _is_known(self, text: str) -> bool:
        return self._exact(text) is not None or self._by_own_template(text) is not None

    def _ended(self, text: str) -> str | None:
        """Without its full stop or colon."""
        if text[-1] not in ".:;…" or len(text) < 2:
            return None
        turned = self._exact(text[:-1]) or self._by_template(text[:-1])
        return None if turned is None else turned + text[-1]

    def _by_sentences(self, text: str) -> str | None:
        return self._by_parts(_cuts(text, SENTENCES))

    def _by_clauses(self, text: str) -> str | None:
        turned = self._by_parts(_cuts(text, CLAUSES))
        found = _BRACKETS.fullmatch(text) if turned is None else None
        if found is None:
            return turned
        parts = [self._said(part) for part in found.groups()]
        return None if parts == list(found.groups()) else f"{parts[0]} ({parts[1]}){parts[2]}".strip()

    def _by_and(self, text: str) -> str | None:
        return self._by_parts(_cuts(text, (AND,)))

    def _by_parts(self, cuts: Iterator[tuple[list[str], str]]) -> str | None:
        for parts, between in cuts:
            turned = [self._said(part) for part in parts]
            if turned != parts:
                return between.join(turned) if between != AND else self._messages.get(BOTH, BOTH).format(*turned)
        return None


def _cuts(text: str, separators: tuple[str, ...]) -> Iterator[tuple[list[str], str]]:
    """The parts of a text, and what stands between them, by each separator in turn. Nothing inside quotation marks parts it."""
    hidden = _QUOTED.sub(lambda found: "“" + "x" * (len(found[0]) - 2) + "”", text)
    for between in separators:
        pattern = _SENTENCES if between == SPACE else re.compile(re.escape(between))
        spans = [found.span() for found in pattern.finditer(hidden)]
        if spans:
            yield _cut(text, spans[ONCE.get(between, slice(None))]), between


def _cut(text: str, spans: list[tuple[int, int]]) -> list[str]:
    ends = [0, *(end for _, end in spans)]
    starts = [*(start for start, _ in spans), len(text)]
    return [text[begin:end] for begin, end in zip(ends, starts, strict=True)]


def _sentences_of(message: str, text: str) -> Iterator[tuple[str, str]]:
    """A message of several sentences, one by one: a text may hold some of them."""
    ours, theirs = _SENTENCES.split(message), _SENTENCES.split(text)
    if len(ours) > 1 and len(ours) == len(theirs):
        for one, other in zip(ours, theirs, strict=True):
            if _WORD.search(re.sub("{[^}]*}", "", one)) and _fields(one) == _fields(other):
                yield one, other


def _fields(message: str) -> list[str]:
    return sorted(re.findall(r"{[^}]*}", message))


def _filled(template: str, said: Mapping[str, str]) -> str:
    """With what stands in its places; a place it does not know stays empty."""
    return "".join(literal + said.get(name or "", "") for literal, name, _, _ in Formatter().parse(template))


def _other_case(text: str) -> str:
    first = text[:1]
    return (first.lower() if first.isupper() else first.upper()) + text[1:]


def _as_begun(turned: str, text: str) -> str:
    """With a capital first where the text has one."""
    return turned[:1].upper() + turned[1:] if text[:1].isupper() else turned
