"""Descriptions begun from a maker's papers: frames tried without a controller, data sheets in and out."""

import pytest

from crisp_hornet.cli import main
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.map_file import read_map
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.link.lines.canopen.eds import begun_from, eds_of
from crisp_hornet.link.lines.frames.trying import Trying
from tests.link.virtual import CULVERT, Clock, VirtualController

CONTROLLERS = "src/crisp_hornet/documents/controllers"


def told(*samples):
    trying = Trying(CULVERT)
    return [line for sample in samples for line in trying.take(sample)]


def test_each_question_s_bytes_are_those_the_controller_answers():
    peer = VirtualController(Clock(), CULVERT).peer
    for name in ("identity", "live", "page drive", "page guards", "page sensors", "keep"):
        (line,) = told(f"ask {name}")
        question = bytes.fromhex(line.removeprefix(f"{name}: "))
        answer = told(peer.receive(question).hex(" "))
        assert any(f"fits {name}" in one for one in answer), (name, answer)
    page = peer._page(CULVERT.block_of("drive"))
    became, written = told(f"write drive drive.battery_current_a=26.3 drive.power_w=none from {page.hex(' ')}")
    answered = peer.receive(bytes.fromhex(written.removeprefix("write drive: ")))
    assert "becomes" in became and any("command 60" in one for one in told(answered.hex()))
    held = peer._controller.values()
    assert held["drive.battery_current_a"] == 26.0 and held["drive.power_w"] is None


def test_a_sample_answer_is_taken_apart_and_its_faults_named_by_offset():
    peer = VirtualController(Clock(), CULVERT).peer
    who = peer.receive(bytes.fromhex(told("ask identity")[0].split(": ")[1]))
    assert any("serial number 'TW60-00417'" in one for one in told(who.hex(" ")))
    page = peer.receive(bytes.fromhex(told("ask page drive")[0].split(": ")[1]))
    lines = told("00 FF " + page.hex(" "))
    assert lines[0] == "byte 0: 2 bytes that belong to no frame" and any("battery current 30 A" in one for one in lines)
    damaged = bytearray(page)
    damaged[10] ^= 4
    assert any(one.startswith(f"byte {len(page) - 2}: checksum ") for one in told(damaged.hex()))
    assert "is not whole" in told(page[:-3].hex())[0]
    for sample, why in (
        ("ask nothing", "there is no question"),
        ("hello", "neither"),
        ("write drive x=1 from 00", "bytes"),
    ):
        with pytest.raises(ValueError, match=why):
            told(sample)


def test_the_command_tries_a_file_of_samples(tmp_path, capsys):
    (tmp_path / "samples.txt").write_text("# from the maker's sheet\nask identity\n\nask page guards\n")
    assert main(["check-map", f"{CONTROLLERS}/culvert-50.toml", "--try", str(tmp_path / "samples.txt")]) == 0
    assert "identity: C5 9A 04 22 01" in capsys.readouterr().out
    (tmp_path / "samples.txt").write_text("ask identity\nwhat\n")
    assert main(["check-map", f"{CONTROLLERS}/culvert-50.toml", "--try", str(tmp_path / "samples.txt")]) == 2
    assert "line 2" in capsys.readouterr().err
    assert main(["check-map", f"{CONTROLLERS}/weir-60.toml", "--try", str(tmp_path / "samples.txt")]) == 2
    assert "no description of frames" in capsys.readouterr().err


def test_a_data_sheet_goes_out_and_begins_a_description(tmp_path, capsys):
    penstock = shipped_map("Penstock 120")
    assert main(["eds", f"{CONTROLLERS}/penstock-120.toml", "--out", str(tmp_path / "p.eds")]) == 0
    assert main(["eds", str(tmp_path / "p.eds"), "--out", str(tmp_path / "p.toml")]) == 0
    assert "begun" in capsys.readouterr().out
    text = (tmp_path / "p.toml").read_text()
    for register in penstock.register_list:
        place = f"object = [{register.object[0]:#06x}, {register.object[1]}]"
        assert (place in text) == (register.access == "rw"), register.name
    assert "vendor_id = 0x0000a7e5" in text and "0x2200, 3" in text
    with pytest.raises(
        DocumentError, match="telemetry|neither a register"
    ):  # begun, not finished: it says what is missing
        read_map(tmp_path / "p.toml")


@pytest.mark.parametrize(
    "text", ["", "[DeviceInfo]\n", "[2100]\nObjectType=0x7\n", "\0\0\xff", "x" * 3000, "[2100sub1]\nDataType=zz\n"]
)
def test_what_is_no_data_sheet_ends_as_one_line(tmp_path, text):
    (tmp_path / "bad.eds").write_text(text, errors="replace")
    try:
        begun_from(tmp_path / "bad.eds")
    except DocumentError as error:
        assert len(str(error)) < 500
    with pytest.raises(DocumentError):
        eds_of(CULVERT, tmp_path / "out.eds")
