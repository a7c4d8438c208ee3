"""What is printed or handed over, by templates: HTML with everything in it, figures in the shown units, nothing of it taken as markup."""

from __future__ import annotations

from jinja2 import Environment, PackageLoader, StrictUndefined

from crisp_hornet.documents.units import Units


def rendered(template: str, units: Units, **given: object) -> str:
    """A template beside the stations (``verdict/report.html``), filled. ``{{ text | shown }}`` puts a text into the shown units."""
    made = Environment(
        loader=PackageLoader("crisp_hornet.bench", "stations"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
    )
    made.filters["shown"] = units.text
    return made.get_template(template).render(given)
