"""Read and write the documents, and publish their JSON Schema.

Version history: bike 1 and tune 1 are the first. A file of a newer version is refused with that reason.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, TypeVar

from pydantic import ValidationError
from pydantic_core import ErrorDetails

from crisp_hornet.documents import wire
from crisp_hornet.documents.base import Part
from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.goals import GOALS_VERSION, Goals
from crisp_hornet.documents.route import ROUTE_VERSION, Route
from crisp_hornet.documents.tune import TUNE_VERSION, Tune

Document = TypeVar("Document", bound=Part)


def read_bike(path: Path) -> Bike:
    """Read a bike document. Raises :class:`DocumentError`."""
    return parse(Bike, "crisp-hornet/bike", BIKE_VERSION, wire.read_object(path), str(path))


def read_tune(path: Path) -> Tune:
    """Read a tune document. Raises :class:`DocumentError`."""
    return parse(Tune, "crisp-hornet/tune", TUNE_VERSION, wire.read_object(path), str(path))


def read_route(path: Path) -> Route:
    """Read a route document. Raises :class:`DocumentError`."""
    return parse(Route, "crisp-hornet/route", ROUTE_VERSION, wire.read_object(path), str(path))


def read_goals(path: Path) -> Goals:
    """Read a goals document. Raises :class:`DocumentError`."""
    return parse(Goals, "crisp-hornet/goals", GOALS_VERSION, wire.read_object(path), str(path))


def parse(kind: type[Document], format_name: str, version: int, data: dict[str, Any], file: str) -> Document:
    """Turn a JSON object into a document; ``file`` is the name used in errors."""
    check_header(data, format_name, version, file)
    try:
        return kind.model_validate(data)
    except ValidationError as error:
        raise document_error(error, file) from None
    except (OverflowError, RecursionError):
        raise DocumentError(file, "", "holds figures that no bike can have", "Correct the file.") from None


def document_error(error: ValidationError, file: str) -> DocumentError:
    """The first fault of a validation as one line, saying how many more there are."""
    details = error.errors(include_url=False)
    place, reason = _place(details[0]), _reason(details[0])
    more = f" ({len(details) - 1} more after it)" if len(details) > 1 else ""
    return DocumentError(file, place, reason + more, "Correct the file there." if place else "Correct the file.")


def dump(document: Part) -> dict[str, Any]:
    """The JSON object of a document, unknown keys included, optional keys left out when unset."""
    header = document.model_dump(mode="json", include={"format", "version"})
    return header | document.model_dump(mode="json", by_alias=True, exclude_unset=True)


def write(path: Path, document: Part, private: bool = False) -> None:
    """Write a document atomically; a ``private`` one for its owner alone. Raises :class:`DocumentError`."""
    wire.write_object(path, dump(document), private)


def schemas() -> dict[str, str]:
    """File name to JSON Schema text of each published document."""
    return {
        f"{name}.schema.json": json.dumps(kind.model_json_schema(by_alias=True), indent=2) + "\n"
        for name, kind in (("bike", Bike), ("tune", Tune), ("route", Route), ("goals", Goals))
    }


def check_header(data: Any, format_name: str, version: int, file: str) -> None:
    """Whether it is a document of that kind and of a version we know. Raises :class:`DocumentError`."""
    if not isinstance(data, dict):
        raise DocumentError(file, "", f"holds {type(data).__name__} where a document belongs", "Export it again.")
    found = data.get("format")
    if found != format_name:
        said = f"is {found!r}"[:80] if "format" in data else "is missing"
        raise DocumentError(file, "format", f"{said}, expected {format_name!r}", "Choose a file of that kind.")
    number = data.get("version")
    if not isinstance(number, int) or isinstance(number, bool) or number < 1:
        raise DocumentError(file, "version", "must be a whole number from 1", "Correct the file there.")
    if number > version:
        raise DocumentError(
            file, "version", f"{number} is newer than this application knows ({version})", "Update the application."
        )


def _place(detail: ErrorDetails) -> str:
    place = ""
    for step in detail["loc"]:
        place += f"[{step}]" if isinstance(step, int) else f".{step}" if place else str(step)
    return place


def _reason(detail: ErrorDetails) -> str:
    kind, value = detail["type"], detail["input"]
    plain = isinstance(value, (str, float, bool, type(None))) or (isinstance(value, int) and abs(value) < 10**30)
    shown = repr(value) if plain else "an absurd number" if isinstance(value, int) else type(value).__name__
    if len(shown) > 60:
        shown = shown[:57] + "..."
    if kind == "missing":
        return "this key is missing"
    if kind in ("float_type", "int_type", "int_from_float", "finite_number"):
        return f"must be a {'whole ' if kind.startswith('int') else ''}number, not {shown}"
    if kind in ("model_type", "model_attributes_type"):
        return f"must be an object with named values, not {shown}"
    if kind == "map":
        return detail["msg"]
    if kind == "value_error":
        return detail["msg"].removeprefix("Value error, ")
    message = detail["msg"].removeprefix("Input should be ")
    return f"must be {message[:120]}, is {shown}"
