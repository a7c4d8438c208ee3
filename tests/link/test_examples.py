"""What docs/controllers.md says works as it stands there: each example is read, played by the stand-in, connected to and sent to."""

import re
import tomllib
from pathlib import Path

import pytest

from crisp_hornet.documents.map_file import read_map
from crisp_hornet.link.contact import make_contact
from crisp_hornet.link.finding import open_line
from crisp_hornet.link.hand import read_shown, shown_text
from crisp_hornet.link.lines.frames.trying import Trying
from crisp_hornet.link.report import Kept, Outcome
from tests.link.inprocess import InProcess
from tests.link.sending import draft, send_all

DOCS = Path(__file__).parents[2] / "docs"
EXAMPLES = DOCS / "examples" / "controllers"
TEXT = (DOCS / "controllers.md").read_text()


@pytest.mark.parametrize("kind", ["modbus", "canopen", "frames"])
def test_an_example_is_played_and_sent_to(threaded, kind):
    described = read_map(EXAMPLES / f"{kind}.toml")
    assert described.line.kind == kind
    standin = InProcess(threaded, described)
    try:
        contact, backup = make_contact(open_line(standin.port, [described], 1.0), lambda text: None)
        assert backup.values(True) == standin.holds()
        report = send_all(contact, draft(contact, drive__battery_current_a=28.4, battery_guard__fade_start_v=51))
        assert report.outcome is Outcome.PROVED and report.kept is Kept.SEEN, report.message
        contact.line.close()
    finally:
        standin.close()


def test_the_sheet_of_the_example_means_what_the_page_says():
    sheet = read_map(EXAMPLES / "hand.toml")
    means = {
        "Current": ("38.5", 38.5),
        "Torque": ("75", 120),
        "Low battery": ("3.20", 51.2),
        "Brake": ("3", 6),
        "Limit": ("99", None),
    }
    for register in sheet.register_list:
        text, value = means[register.label]
        raw = read_shown(register, text)
        assert register.decode(raw) == (pytest.approx(value) if value is not None else None)
        assert shown_text(register, raw).startswith(text)


def test_what_the_page_shows_is_in_the_examples():
    for block in re.findall(r"```toml\n(.*?)```", TEXT, re.DOTALL):
        tomllib.loads(block)
        lines = [line.split("#")[0].strip() for line in block.splitlines()]
        whole = {
            line.split("#")[0].strip() for path in EXAMPLES.glob("*.toml") for line in path.read_text().splitlines()
        }
        assert all(line in whole for line in lines if line), [line for line in lines if line and line not in whole]
    samples = re.search(r"printf '(.*?)'", TEXT)[1].split("\\n")
    told = [line for sample in samples for line in Trying(read_map(EXAMPLES / "frames.toml")).take(sample)]
    assert any("battery current 25 A" in line for line in told) and not any("checksum" in line for line in told)
    for link in re.findall(r"\]\(([a-z_/.]+)\)", TEXT):
        assert (DOCS / link).exists(), link
