"""What is printed or handed over, by templates: HTML with everything in it, figures in the shown units, nothing of it taken as markup."""

from __future__ import annotations

import re
from html import escape, unescape

from jinja2 import Environment, PackageLoader, StrictUndefined

from crisp_hornet.bench.language import spoken, tr
from crisp_hornet.documents.units import Units

_WORDS = re.compile(r"(>|alt=\")([^<>\"]*[^\W\d_][^<>\"]*)(<|\")")


def rendered(template: str, units: Units, **given: object) -> str:
    """A template beside the stations (``verdict/report.html``), filled. ``{{ text | shown }}`` puts a text into the shown units."""
    made = Environment(
        loader=PackageLoader("crisp_hornet.bench", "stations"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
    )
    made.filters["shown"] = units.text
    return _spoken(made.get_template(template).render(given, language=spoken()))


def _spoken(page: str) -> str:
    """The words between the tags, and of pictures, in the language of the window."""
    return _WORDS.sub(lambda found: f"{found[1]}{escape(tr(unescape(found[2])))}{found[3]}", page)
