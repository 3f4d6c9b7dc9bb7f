"""Files from outside, read in a process of their own: archives, bounds, stopping."""

from __future__ import annotations

import io
import json
import re
import threading
import zipfile
from pathlib import Path

import pytest

from highmoor.cli import main
from highmoor.intake.archives import MEMBERS_AT_MOST
from highmoor.intake.reading import Reading, read_file
from tests.paths import DEMO


def archive(**files: bytes) -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as made:
        for name, content in files.items():
            made.writestr(name.replace("__", "/"), content)
    return stream.getvalue()


def test_an_archive_is_read_file_by_file() -> None:
    eds, gsd = (DEMO / "ws3.eds").read_bytes(), (DEMO / "cv3.gsd").read_bytes()
    packed = archive(**{"..__..__ws3.eds": eds, "pictures__a.png": b"\x89PNG", "cv3.gsd": gsd, "odd.xyz": b"odd"})
    files = read_file(packed, "both.zip")
    assert [(f.name, bool(f.description)) for f in files] == [("ws3.eds", True), ("cv3.gsd", True), ("odd.xyz", False)]
    assert files[0].octets == eds


@pytest.mark.parametrize(
    ("octets", "reason"),
    [
        (archive(a=b"0" * 20_000_000), "far more than a description file"),
        (archive(**{f"f{n}": b"x" for n in range(MEMBERS_AT_MOST + 1)}), "are read"),
        (archive(a=b"x")[:-8] + b"\0" * 8, "damaged|no file"),
        (b"PK\x03\x04" + b"x" * 100, "damaged"),
        (archive(**{"a.png": b"x"}), "holds no file"),
    ],
)
def test_hostile_archives_are_refused(octets: bytes, reason: str) -> None:
    (file,) = [f for f in read_file(octets, "bad.zip") if f.refused]
    assert re.search(reason, file.refused), file.refused


def test_many_parameters_are_refused_in_bounded_memory() -> None:
    head = "[Device]\nVendCode=1; ProdType=1; ProdCode=1; MajRev=1; MinRev=1;\n[Params]\n"
    lines = "".join(f'Param{n}=0,,"",0,0xC7,2,"Parameter {n}","s","",0,65535,1;\n' for n in range(25_000))
    (file,) = read_file((head + lines).encode(), "many.eds")
    assert "25000 parameters" in file.refused
    assert file.line == 4


def test_reading_can_be_stopped() -> None:
    reading = Reading(b"[Device]\n" + b"[a]\n" * 3_000_000, "slow.eds")
    threading.Timer(0.3, reading.stop).start()
    (file,) = reading.run()
    assert file.refused == "Reading was stopped."


def test_describe_answers_alike_whether_read_or_refused(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    assert main(["describe", str(DEMO / "inbox" / "em310.gsd"), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert (told["family"], told["vendor"]["name"], len(told["devices"][0]["modules"])) == (
        "profibus-gsd",
        "Ashgill Process",
        11,
    )
    assert [problem["line"] for problem in told["problems"]] == [82, 90]
    bad = tmp_path / "bad.eds"
    bad.write_text("nothing")
    assert main(["describe", str(bad), "--json"]) == 2
    refused = json.loads(capsys.readouterr().out)
    assert {"family", "vendor", "devices", "problems"} <= refused.keys()
    assert refused["problems"][0]["severity"] == "error"


def test_describe_says_what_it_is_and_strictly_whether_it_is_sound(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    from highmoor.cli import main

    demo = DEMO
    assert main(["describe", str(demo / "cv7.eds"), "--strict"]) == 0
    told = capsys.readouterr().out
    for says in ("vendor: 64209 (16#FAD1) Corvane Drives", "product: 75 (16#004B), device type 2",
                 "sizes: 8 octets into the controller, 4 out of it", "1 socket"):  # fmt: skip
        assert says in told, told
    spoilt = demo / "inbox" / "em310.gsd"
    assert main(["describe", str(spoilt)]) == 0
    assert main(["describe", str(spoilt), "--strict"]) == 1
    nothing = tmp_path / "x.eds"
    nothing.write_text("nothing")
    assert main(["describe", str(nothing), "--strict"]) == 2
