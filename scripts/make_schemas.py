"""Write the JSON Schemas of the documents into docs/schema: python scripts/make_schemas.py"""

from pathlib import Path

from crisp_hornet.documents.store import schemas

FOLDER = Path(__file__).parent.parent / "docs" / "schema"

for name, text in schemas().items():
    (FOLDER / name).write_text(text, encoding="utf-8")
