"""Pictures, and what somebody makes of them who wants a script to run in the program's own origin."""

import hashlib
import io
import json
import struct
import zipfile
import zlib

import numpy as np
import pytest
from PIL import Image

from openstake.app import build
from openstake.core.errors import FileError
from openstake.store.models import Photo
from openstake.store.package import MANIFEST
from openstake.wire.pictures import KINDS, kind_of, written_anew
from openstake.workflow.packages import read_package, write_package
from tests.conftest import Crew
from tests.pictures import picture, pixels_of

PAGE = b"<!doctype html><script src='/api/jobs/x/photos/y'></script>"
SCRIPT = b"fetch('/api/jobs').then(jobs => jobs.json()).then(alert)"


@pytest.mark.parametrize("form", ["JPEG", "PNG", "WEBP", "GIF"])
def test_a_picture_is_written_anew_once_and_nothing_but_its_pixels_stays(form):
    exif = Image.Exif()
    exif[0x010F], exif[0x0112] = ("maker-of-the-telephone", 6)  # Make; Orientation: turn by 90 degrees (CIPA DC-008, Exif 2.32)
    content = picture(form, **({} if form == "GIF" else {"exif": exif, "quality": 95} if form != "PNG" else {"exif": exif}))
    hostile = content + PAGE

    made, kind = written_anew(hostile, "a")

    assert b"<script" not in made and b"maker-of-the-telephone" not in made
    assert kind_of(made, "a") == kind == KINDS["PNG" if form == "GIF" else form]
    seen = pixels_of(content) if form == "GIF" else np.rot90(pixels_of(content), -1)
    assert np.abs(pixels_of(made).astype(int) - seen).mean() < (12 if form in ("JPEG", "WEBP") else 1)


def test_a_picture_of_a_telephone_with_two_in_one_file_is_a_jpeg():
    """CIPA DC-007, the multi-picture format: what many telephones write."""
    out = io.BytesIO()
    first, second = (Image.open(io.BytesIO(picture("JPEG", seed=seed))) for seed in (1, 2))
    first.save(out, "MPO", save_all=True, append_images=[second])
    made, kind = written_anew(out.getvalue(), "a")
    assert kind == KINDS["JPEG"] and kind_of(made, "a") == kind and len(made) < len(out.getvalue())


def png_of(width, height):
    """The head of a PNG that says it is so large (ISO/IEC 15948, IHDR), and one row."""

    def chunk(name, data):
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    head = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", zlib.compress(b"\0" * 100)) + chunk(b"IEND", b"")


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (PAGE, "is not a JPEG, PNG, WebP or GIF picture"),
        (b"", "is not a JPEG"),
        (b"GIF89a", "is not"),
        (b"\xff\xd8\xff" + PAGE, "is not"),
        (picture("JPEG", 200)[:9000], "not whole"),
        (picture("PNG", 200)[:9000], "not whole"),
        (png_of(40_000, 40_000), "than any camera makes"),
        (png_of(5_000, 5_000), "not whole"),
        (picture("TIFF"), "is not"),
        (picture("BMP"), "is not"),
        (picture("PPM"), "is not"),
        (b"<svg xmlns='http://www.w3.org/2000/svg'><script>1</script></svg>", "is not"),
        (b"%!PS-Adobe-3.0 EPSF-3.0\n", "is not"),
    ],
)
def test_what_is_no_picture_is_refused(content, words):
    for read in (kind_of, written_anew):
        with pytest.raises(FileError, match=words):
            read(content, "a")


def with_photo(source, out, media_type, content, ending="html"):
    """Put a photo into a package as somebody would who knows how: row, file, hashes."""
    digest = hashlib.sha256(content).hexdigest()
    with zipfile.ZipFile(source) as old:
        members = {name: old.read(name) for name in old.namelist()}
    document = json.loads(members.pop(MANIFEST))
    row = {
        "id": "5b0f5a0e-0000-4000-8000-000000000001",
        "setup_id": document["job"],
        "job_id": document["job"],
        "name": "hedge.jpg",
        "media_type": media_type,
        "file": f"{digest}.{ending}",
        "created_s": 1.76e9,
    }
    members["tables/photo.jsonl"] = json.dumps(row).encode() + b"\n"
    document["tables"]["photo"] = 1
    document["hashes"]["photo"] = hashlib.sha256(members["tables/photo.jsonl"]).hexdigest()
    document["files"] = [{"path": f"photos/{row['file']}", "bytes": len(content), "sha256": digest}]
    members |= {f"files/photos/{row['file']}": content, MANIFEST: json.dumps(document).encode()}
    with zipfile.ZipFile(out, "w") as new:
        for name, member in members.items():
            new.writestr(name, member)
    return out


@pytest.fixture
def own_program(tmp_path):
    program = build(tmp_path / "there", practice=False, demo=False, web_dir=None)
    yield Crew(program)
    program.close()


def test_a_package_brings_no_script_in_the_clothes_of_a_photo(own_office, own_program, tmp_path):
    job = own_office.job("Nettle Brook Culvert")
    write_package(own_office.program.context, job, tmp_path / "sound.zip")
    before = own_program.get("/jobs")["jobs"]
    for media_type, content, ending in (
        ("text/html", PAGE, "html"),
        ("text/javascript", SCRIPT, "js"),
        ("image/svg+xml", b"<svg><script>1</script></svg>", "svg"),
        ("image/png", PAGE, "png"),
        ("text/html", picture(), "png"),
        ("image/png\r\nX-Evil: 1", picture(), "png"),
        ("image/png", picture(), "html"),
    ):
        with pytest.raises(FileError):
            read_package(
                own_program.program.context, with_photo(tmp_path / "sound.zip", tmp_path / "evil.zip", media_type, content, ending)
            )
        assert own_program.get("/jobs")["jobs"] == before
    folder = own_program.program.context.data_dir / "photos"
    assert not folder.exists() or not list(folder.iterdir())
    # What is a picture comes as it was packed: other bytes behind its end stay, and are served as a picture.
    honest = picture("JPEG") + PAGE
    made = read_package(
        own_program.program.context, with_photo(tmp_path / "sound.zip", tmp_path / "honest.zip", "image/jpeg", honest, "jpg")
    )
    (photo,) = [line["photo_id"] for line in own_program.get(f"/jobs/{made.job}/book?group=notes")["lines"] if line.get("photo_id")] or [
        "5b0f5a0e-0000-4000-8000-000000000001"
    ]
    answer = own_program._client.get(f"/api/jobs/{made.job}/photos/{photo}", base_url="http://127.0.0.1:8420")
    assert answer.get_data() == honest
    assert answer.mimetype == "image/jpeg" and answer.headers["X-Content-Type-Options"] == "nosniff"
    assert "sandbox" in answer.headers["Content-Security-Policy"] and "default-src 'none'" in answer.headers["Content-Security-Policy"]


def test_a_row_of_before_is_served_as_what_its_decoder_says(own_office):
    """A data folder of an older version may hold a photo whose row says what somebody else wanted."""
    job, context = own_office.job("Nettle Brook Culvert"), own_office.program.context
    (context.data_dir / "photos").mkdir(exist_ok=True)
    for name, content in (("page", PAGE), ("picture", picture())):
        (context.data_dir / "photos" / name).write_bytes(content)
        row = Photo(id=name, owner_id=job, job_id=job, name=name, media_type="text/html", file=name, created_s=1.0)
        context.database.write(lambda session, row=row: session.add(row))
    assert "is not a JPEG" in own_office.get(f"/jobs/{job}/photos/page", status=422)["detail"]
    answer = own_office._client.get(f"/api/jobs/{job}/photos/picture", base_url="http://127.0.0.1:8420")
    assert answer.mimetype == "image/png" and io.BytesIO(answer.get_data()).read(4) == b"\x89PNG"


def test_all_that_the_api_sends_is_data(own_office):
    for path in ("/jobs", f"/jobs/{own_office.job()}/points.csv", "/nothing"):
        answer = own_office._client.get(f"/api{path}", base_url="http://127.0.0.1:8420")
        assert "sandbox" in answer.headers["Content-Security-Policy"] and answer.headers["X-Content-Type-Options"] == "nosniff"
