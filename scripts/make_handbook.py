"""Make the handbook from its one source (docs/handbook.md and the texts of help): docs/handbook/index.html, and a PDF for the package.

QT_QPA_PLATFORM=offscreen .venv/bin/python scripts/make_handbook.py
"""

from __future__ import annotations

from pathlib import Path

from jinja2 import Environment
from markdown_it import MarkdownIt
from PyQt6.QtCore import QMarginsF, QUrl
from PyQt6.QtGui import QPageLayout, QPageSize, QPdfWriter, QTextDocument

from crisp_hornet.bench.app import make_application
from crisp_hornet.bench.theme import LIGHT
from crisp_hornet.help import DRAWINGS, TOKENS, drawing, drawing_words, figures, glossary, places

ROOT = Path(__file__).parents[1]
PAGE = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Crisp Hornet: handbook</title>
<style>
body{font-family:'Barlow Semi Condensed',sans-serif;color:#1E2326;background:#FFFDF8}
body{max-width:56em;margin:1em auto;padding:0 1em;line-height:1.35}
h1,h2,h3{margin:1em 0 .2em}table{border-collapse:collapse}td,th{padding:3px 10px 3px 0;vertical-align:top;text-align:left}
code{font-family:monospace}pre{overflow-x:auto}img{width:380px}.quiet{color:#565C57}dt{font-weight:600}
</style></head><body>
{{ body }}
<h1 id="figures">Figures and settings</h1>
{% for topic in figures %}<h3 id="{{ topic.key }}">{{ topic.title | e }}</h3>
{% if topic.drawing %}<p><img src="drawings/{{ topic.drawing }}.svg" alt="{{ words_of(topic.drawing) | e }}"></p>{% endif %}
{% for heading, text in topic.parts %}<p><span class="quiet">{{ heading }}.</span> {{ text | e }}</p>
{% endfor %}{% endfor %}
<h1 id="places">Stations</h1>
{% for topic in places %}<h3>{{ topic.title | e }}</h3><p>{{ topic.parts[0][1] | e }}</p>
{% if topic.caution %}<p><b>Caution.</b> {{ topic.caution | e }}</p>{% endif %}
{% endfor %}
<h1 id="words">Words of the field</h1>
<dl>{% for word, text in words.items() %}<dt>{{ word | e }}</dt><dd>{{ text | e }}</dd>
{% endfor %}</dl>
</body></html>
"""


def page() -> str:
    """The whole handbook as HTML."""
    text = (ROOT / "docs" / "handbook.md").read_text(encoding="utf-8")
    body = MarkdownIt("commonmark").enable("table").render(text)
    body = body.replace('src="screenshots/', 'src="../screenshots/')
    for name in ("formats", "controllers", "reliability"):
        body = body.replace(f'href="{name}.md"', f'href="../{name}.md"')
    return (
        Environment(autoescape=False)
        .from_string(PAGE)
        .render(body=body, figures=figures(), places=places(), words=glossary(), words_of=drawing_words)
    )


def main() -> None:
    """Write both."""
    app = make_application()
    folder = ROOT / "docs" / "handbook"
    folder.mkdir(exist_ok=True)
    (folder / "drawings").mkdir(exist_ok=True)
    colours = {token: LIGHT.color(what).name() for token, what in TOKENS.items()}
    for path in DRAWINGS.glob("*.svg"):
        (folder / "drawings" / path.name).write_text(drawing(path.stem, colours), encoding="utf-8")
    made = page()
    (folder / "index.html").write_text(made, encoding="utf-8")
    document = QTextDocument()
    document.setBaseUrl(QUrl.fromLocalFile(f"{folder}/"))
    document.setHtml(made)
    writer = QPdfWriter(str(ROOT / "src" / "crisp_hornet" / "help" / "handbook.pdf"))
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    writer.setPageMargins(QMarginsF(16, 16, 16, 16), QPageLayout.Unit.Millimeter)
    writer.setResolution(96)
    writer.setTitle("Crisp Hornet: handbook")
    document.setPageSize(writer.pageLayout().paintRectPixels(96).size().toSizeF())
    document.print(writer)
    app.processEvents()


if __name__ == "__main__":
    main()
