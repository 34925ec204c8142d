"""PDF: our own font and nothing else, pages turned for what is wide."""

import re
import zlib
from contextlib import suppress
from typing import Any

import pytest

from gannet.web import pdf


def inflated(made: bytes) -> bytes:
    """All that a PDF says, its packed parts unpacked."""
    parts = [made]
    for found in re.finditer(rb"stream\r?\n(.*?)\r?\nendstream", made, re.DOTALL):
        with suppress(zlib.error):
            parts.append(zlib.decompress(found[1]))
    return b"\n".join(parts)


def sides(made: bytes) -> list[int]:
    """The first page's width and height, in points."""
    found = re.search(rb"/MediaBox\s*\[\s*0 0 ([\d.]+) ([\d.]+)", inflated(made))
    assert found is not None
    return [int(float(found[1])), int(float(found[2]))]


def test_a_page_names_no_file_but_our_font(settings: Any, tmp_path: Any) -> None:
    (tmp_path / "assets").mkdir()
    font = tmp_path / "assets" / "next-basic-x.woff2"
    font.write_bytes(b"a font")
    secret = tmp_path / "secret.txt"
    secret.write_text("s3cret")
    settings.FRONTEND = str(tmp_path)
    reads = pdf.ours_alone({})
    assert reads.fetch(font.as_uri()).read() == b"a font"
    for url in (secret.as_uri(), "http://127.0.0.1/x", "https://elsewhere.example/x.png",
                "data:text/plain,x", f"{font.as_uri()}?x", "file:///etc/hostname"):  # fmt: skip
        with pytest.raises(ValueError, match="a page names"):
            reads.fetch(url)


def test_what_a_body_names_is_not_read(tmp_path: Any) -> None:
    secret = tmp_path / "secret.html"
    secret.write_text("<p>s3cret</p>")
    body = f"<p>Seen</p><img src='{secret.as_uri()}'><iframe src='{secret.as_uri()}'></iframe>"
    made = pdf.as_pdf("x", body)
    assert made.startswith(b"%PDF-") and b"s3cret" not in inflated(made)


def test_a_wide_one_is_turned() -> None:
    upright = sides(pdf.as_pdf("x", "<p>x</p>"))
    wide = sides(pdf.as_pdf("x", "<p>x</p>", is_wide=True))
    assert upright[0] < upright[1] and wide[0] > wide[1]
    assert sorted(upright) == sorted(wide)
