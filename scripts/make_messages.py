"""Gather every text that the window may show into the message tables of other languages, ``bench/texts/<language>.ts``.

Read are the sources, the tables of rules, findings, programmes, jobs, controllers and help, and the pages that are printed. What a table
translates already is kept. A text with figures becomes a template: ``f"{count} settings differ"`` is ``{count} settings differ``. Words
that stand alone are messages only where the table has them: most are keys of the program. Prints what is not translated; ``--check``
writes nothing, and fails where something is missing.
"""

from __future__ import annotations

import ast
import json
import re
import sys
import tomllib
import xml.etree.ElementTree as xml
from collections.abc import Iterable, Iterator
from itertools import product
from pathlib import Path
from string import Formatter

SOURCES = Path(__file__).parents[1] / "src" / "crisp_hornet"
TEXTS = SOURCES / "bench" / "texts"
ROOMS = ("bench", "core", "documents", "garage", "help", "link", "practice", "rides", "system")
NOT_SHOWN = (
    "garage/settings.py",
    "bench/theme.py",
    "bench/shots.py",
    "documents/units.py",
    "rides/quantities.py",
    "link/fork.py",
)
WORDS = "words"  # where messages are from that stand nowhere as they are: they stay
COUNTED = "\0"  # before a noun that is counted: it is a message though it stands alone
WORD, MOST_WAYS = re.compile(r"[^\W\d_]{2,}"), 8
PROGRAM = re.compile(
    r"^(SELECT|INSERT|UPDATE|DELETE|CREATE|ALTER|DROP|PRAGMA|VACUUM|BEGIN|[#./<%-]|\(\?|https?:|udp:|tcp:)|__"
    r"|[;{] *\w+[-\w]*: *[^ ]+;|\bpx\b|::|\bdef \b"
)
# keys of documents, acts of the simulated bike, queries, parts of files: what the program says to itself
INTERNAL = re.compile(
    r"[\w-]+(\.[\w{}-]+)+"
    r"|mend (brake|lever-magnet)|(?=.*[\d_{.])(set|display|mend|truth|obey|roll|brake|turn-back|key-on|"
    r"lever-stuck|brake-drag|weak-group|ask|promises) [\w.{}-]+( [\w.{}-]+)*"
    r"|\{\w+\} of bike \{id\}|port of bike .*|before-.*|rides/.*|(select |file:|data:|can:|crisp-hornet/|PDF|CSV) ?.*|\^.*|.*(\\b|\.\*).*"
    r"|\w+ = .*|\[\[?\w+\].*|\{(STORY|path)\}: [\w.]+|extra ==|Input should be|Value error,|No SDO response received|unable to open"
    r"|FileJournal . None|Qt: .*|Crisp Hornet|\{\w+\}[\w./-]+|Weir \d+|ix_.*|.*loop\.(first|last).*|Recorded .*|\{\w+\} (rpm/V|m/s²|Wh)",
    re.DOTALL,
)
NO_TEXT_CALLS = {"compile", "execute", "getLogger", "debug", "info", "warning", "exception", "setStyleSheet", "setObjectName",
                 "fullmatch", "sub", "search", "findall", "encode", "strptime", "strftime", "pyqtSignal", "TypeVar", "Literal"}  # fmt: skip


def messages_of_python(path: Path) -> Iterator[str]:
    """Phrases of a module; docstrings and what is no text are left out."""
    nodes = list(ast.walk(ast.parse(path.read_text(encoding="utf-8"))))
    left_out: set[int] = set()
    for node in nodes:
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            left_out.add(id(node.value))
        if isinstance(node, ast.Call) and _called(node.func) in NO_TEXT_CALLS:
            left_out |= {id(inner) for argument in node.args for inner in ast.walk(argument)}
        if isinstance(node, (ast.arg, ast.AnnAssign)) and node.annotation is not None:
            left_out |= {id(inner) for inner in ast.walk(node.annotation)}
        if isinstance(node, ast.JoinedStr):
            left_out |= {id(inner) for value in node.values for inner in [value, *_specs(value)]}
    for node in nodes:
        if isinstance(node, ast.Call) and _called(node.func) == "counted":
            yield from _nouns(node)
        if id(node) in left_out:
            continue
        if isinstance(node, ast.JoinedStr):
            yield from _ways(node)
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            yield _without_specs(node.value)


def _called(function: ast.expr) -> str:
    return function.attr if isinstance(function, ast.Attribute) else getattr(function, "id", "")


def _nouns(counted: ast.Call) -> Iterator[str]:
    """What is counted, as one and as many."""
    words = [argument.value for argument in counted.args[1:] if isinstance(argument, ast.Constant)]
    if words:
        yield f"{COUNTED}{words[0]}"
        yield f"{COUNTED}{words[1] if len(words) > 1 else f'{words[0]}s'}"


def _specs(value: ast.expr) -> Iterable[ast.AST]:
    return (
        ast.walk(value.format_spec) if isinstance(value, ast.FormattedValue) and value.format_spec is not None else ()
    )


def _ways(node: ast.JoinedStr) -> Iterator[str]:
    """A text with figures as templates; where a place is one of two words, both."""
    used: dict[str, int] = {}
    parts: list[list[str]] = []
    for value in node.values:
        if isinstance(value, ast.Constant):
            parts.append([str(value.value).replace("{", "{{").replace("}", "}}")])
        elif isinstance(value, ast.FormattedValue):
            parts.append(_place(value.value, used))
    if any(WORD.search("".join(part)) for part in parts):
        for chosen in list(product(*parts))[:MOST_WAYS]:
            yield "".join(chosen)


def _place(value: ast.expr, used: dict[str, int]) -> list[str]:
    if isinstance(value, ast.IfExp) and all(isinstance(side, ast.Constant) for side in (value.body, value.orelse)):
        return [str(side.value) for side in (value.body, value.orelse) if isinstance(side, ast.Constant)]
    name = _name_of(value)
    used[name] = used.get(name, 0) + 1
    return [f"{{{name}}}" if used[name] == 1 else f"{{{name}_{used[name]}}}"]


def _name_of(value: ast.expr) -> str:
    if isinstance(value, ast.Name):
        return value.id.strip("_") or "it"
    if isinstance(value, ast.Attribute):
        return value.attr.strip("_")
    if isinstance(value, ast.Call):
        inner = value.args[0] if value.args else value.func
        return _name_of(inner if not isinstance(inner, ast.Constant) else value.func)
    return _name_of(value.value) if isinstance(value, ast.Subscript) else "it"


def _without_specs(text: str) -> str:
    """A template without how its figures are written; as it is where it is none."""
    try:
        parsed = list(Formatter().parse(text))
    except ValueError:
        return text
    if all(name is None for _, name, _, _ in parsed):
        return text
    made = ""
    for at, (literal, name, _, _) in enumerate(parsed):
        made += literal.replace("{", "{{").replace("}", "}}") + ("" if name is None else f"{{{name or f'at_{at}'}}}")
    return made


def messages_of_data(path: Path) -> Iterator[str]:
    """All texts of a table."""
    content = tomllib.loads(path.read_text()) if path.suffix == ".toml" else json.loads(path.read_text())

    def walk(value: object) -> Iterator[str]:
        if isinstance(value, str):
            yield " ".join(value.split()) if "\n" not in value.strip() else value
            yield value
        elif isinstance(value, dict):
            for inner in value.values():
                yield from walk(inner)
        elif isinstance(value, list):
            for inner in value:
                yield from walk(inner)

    return walk(content)


def messages_of_page(path: Path) -> Iterator[str]:
    """What stands between the tags of a printed page."""
    page = re.sub(r"{%.*?%}|<style>.*?</style>", "<>", path.read_text(), flags=re.DOTALL)
    for words in [*re.findall(r">([^<>]+)<", page), *re.findall(r'alt="([^"]*)"', page)]:
        yield re.sub(r"{{\s*(\w+)[^}]*}}", r"{\1}", words).strip()


def is_message(text: str, known: set[str]) -> bool:
    """Whether somebody may read a text."""
    if text in known:
        return True
    if INTERNAL.fullmatch(text):
        return False
    words = WORD.findall(re.sub(r"{[^}]*}", "", text))
    if not words or PROGRAM.search(text) or len(text) > 4000:
        return False
    return (" " in text.strip() or (len(words) > 1 and "{" in text)) and not re.fullmatch(r"[\w.:/=*,-]+", text)


def gathered(known: set[str]) -> dict[str, str]:
    """Every message and where it is from; ``known``: single words that are messages."""
    found: dict[str, str] = {}
    for room in ROOMS:
        for path in sorted((SOURCES / room).rglob("*")):
            where = path.relative_to(SOURCES).as_posix()
            if where in NOT_SHOWN or where.startswith(("bench/texts", "practice/bikes")):
                continue
            texts: Iterable[str] = ()
            if path.suffix == ".py":
                texts = messages_of_python(path)
            elif path.suffix in (".toml", ".json"):
                texts = messages_of_data(path)
            elif path.suffix == ".html":
                texts = messages_of_page(path)
            elif path.suffix == ".svg":
                texts = re.findall("<title>(.*?)</title>", path.read_text(encoding="utf-8"))
            for text in texts:
                plain = re.sub(r"^[.:;] ", "", text.removeprefix(COUNTED)).strip()
                if plain and (text.startswith(COUNTED) or is_message(plain, known)):
                    found.setdefault(plain, where)
    # a word may be a part of a text that is put together, or the name of a month
    return found | {text: WORDS for text in sorted(known) if text not in found}


def read(path: Path) -> tuple[dict[str, str], set[str]]:
    """What a table translates, and what of it stays whether it is found or not."""
    translated, kept = {}, set()
    for message in xml.parse(path).getroot().iter("message"):
        source, location = message.findtext("source", ""), message.find("location")
        translated[source] = message.findtext("translation", "")
        only_places = not WORD.search(re.sub("{[^}]*}", "", source))  # as how days are written
        if " " not in source or only_places or (location is not None and location.get("filename") == WORDS):
            kept.add(source)
    return translated, kept


def written(path: Path, language: str, messages: dict[str, str], translated: dict[str, str]) -> None:
    """Write a table in the format of Qt Linguist."""
    root = xml.Element("TS", version="2.1", language=language, sourcelanguage="en")
    context = xml.SubElement(root, "context")
    xml.SubElement(context, "name").text = "Crisp Hornet"
    for message, where in messages.items():
        made = xml.SubElement(context, "message")
        xml.SubElement(made, "location", filename=where)
        xml.SubElement(made, "source").text = message
        text = translated.get(message, "")
        xml.SubElement(made, "translation", {} if text else {"type": "unfinished"}).text = text
    xml.indent(root, "")
    body = xml.tostring(root, encoding="unicode")
    path.write_text(f'<?xml version="1.0" encoding="utf-8"?>\n<!DOCTYPE TS>\n{body}\n', encoding="utf-8")


def main() -> int:
    """Write or check each table; 1 where something is missing."""
    missing = 0
    for path in sorted(TEXTS.glob("*.ts")):
        before, kept = read(path)
        messages = gathered(kept)
        lacking = [message for message in messages if not before.get(message)]
        missing += len(lacking)
        print(  # noqa: T201
            f"{path.name}: {len(messages)} messages, {len(lacking)} not translated, {len(set(before) - set(messages))} no longer used"
        )
        for message in lacking[:40]:
            print(f"    {message!r}")  # noqa: T201
        if "--check" not in sys.argv:
            written(path, path.stem, messages, before)
    return int(missing > 0 and "--check" in sys.argv)


if __name__ == "__main__":
    raise SystemExit(main())
