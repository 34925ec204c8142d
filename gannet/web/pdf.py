"""Pages as PDF: HTML of our own making, with our own font, and nothing fetched from anywhere."""

from collections.abc import Mapping
from functools import lru_cache
from html import escape
from pathlib import Path
from types import ModuleType
from typing import Any

from django.conf import settings
from PIL import ImageFile

from gannet.web.errors import Problem

CONTENT_TYPE = "application/pdf"
_FONT = "Atkinson Hyperlegible Next"
_STYLE = """
@page { size: A4 %(turned)s; margin: 18mm 16mm 20mm; @bottom-right {
  content: counter(page) " / " counter(pages);
  font: 9pt '%(font)s', sans-serif; color: #5b6b73; } @bottom-left { content: "%(foot)s";
  font: 9pt '%(font)s', sans-serif; color: #5b6b73; } }
%(face)s
body { font: 10.5pt/1.4 '%(font)s', sans-serif; color: #14232b; }
h1 { font-size: 17pt; margin: 0 0 2mm; } h2 { font-size: 12.5pt; margin: 6mm 0 1.5mm; }
p, ul { margin: 0 0 2mm; } ul { padding-left: 5mm; } .quiet { color: #5b6b73; }
table { border-collapse: collapse; width: 100%%; margin: 2mm 0 4mm; }
th, td { border-bottom: 0.2mm solid #b9c6cc; padding: 1.2mm 2mm; text-align: left;
  vertical-align: top; } th { font-weight: 600; }
td.number, th.number { text-align: right; font-variant-numeric: tabular-nums; }
thead { display: table-header-group; } tr, h2 { page-break-inside: avoid; }
h2 { page-break-after: avoid; } svg, img { max-width: 100%%; }
.part { page-break-before: always; } .part:first-of-type { page-break-before: auto; }
blockquote { margin: 2mm 0; padding: 1.5mm 3mm; border-left: 1mm solid #b9c6cc; }
blockquote p { margin: 0; } pre { white-space: pre-wrap; font-size: 9pt; }
.tick { display: inline-block; width: 3mm; height: 3mm; border: 0.3mm solid #14232b; }
img[src$="#half"] { max-width: 90mm; } img[src$="#small"] { max-width: 45mm; }
"""


class NoPdf(Problem):
    """The machine lacks what PDF needs."""

    status = 503
    code = "no-pdf"
    title = "No PDF can be made here"


Pictures = Mapping[str, tuple[str, bytes]]
# In front of the address of a picture that is handed over with a page.
WITH_PAGE = "with-page:"


def as_pdf(
    title: str,
    body: str,
    foot: str = "",
    *,
    is_wide: bool = False,
    pictures: Pictures | None = None,
) -> bytes:
    """A PDF of an HTML body that has been escaped where somebody wrote in it.

    A wide one has its pages turned, and smaller tables. `pictures` are content types and
    contents by the addresses that the body has, each after `WITH_PAGE`.
    """
    weasyprint = _printer()
    said = foot.replace("\\", " ").replace('"', "'").replace("\n", " ")
    style = _STYLE % {
        "font": _FONT,
        "foot": said,
        "face": _face(),
        "turned": "landscape" if is_wide else "",
    }
    if is_wide:
        style += "table { font-size: 8.5pt } th, td { padding: 0.8mm 1mm }"
    page = (
        f"<!doctype html><html lang='en'><head><meta charset='utf-8'><title>{escape(title)}</title>"
        f"<style>{style}</style></head><body>{body}</body></html>"
    )
    made: bytes = weasyprint.HTML(string=page, url_fetcher=ours_alone(pictures or {})).write_pdf()
    return made


@lru_cache
def _printer() -> ModuleType:
    """What prints. It lets Pillow open half pictures, everywhere: that is taken back at once."""
    try:
        import weasyprint
    except OSError as error:  # its drawing library is missing
        raise NoPdf(
            "PDF needs Pango on this machine: install libpango-1.0-0, libpangoft2-1.0-0 and "
            "libharfbuzz-subset0."
        ) from error
    ImageFile.LOAD_TRUNCATED_IMAGES = False
    printer: ModuleType = weasyprint
    return printer


@lru_cache
def _face() -> str:
    """The font of the interface, as it was built; without it, what the machine has."""
    fonts = sorted(Path(settings.FRONTEND).glob("assets/next-basic-*.woff2"))
    if not fonts:
        return ""
    return (
        f"@font-face {{ font-family: '{_FONT}'; src: url('{fonts[0].as_uri()}') format('woff2');"
        " font-weight: normal; }"
    )


def ours_alone(pictures: Pictures) -> Any:
    """What reads all that a page may name: our font, and pictures that are handed over with it.

    Nothing else is read or fetched.
    """
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class OursAlone(URLFetcher):  # type: ignore[misc]
        def fetch(self, url: str, headers: Any = None) -> Any:
            handed = pictures.get(url.removeprefix(WITH_PAGE).partition("#")[0])
            if handed is not None and url.startswith(WITH_PAGE):
                return URLFetcherResponse(url, handed[1], {"Content-Type": handed[0]})
            for font in Path(settings.FRONTEND).glob("assets/next-basic-*.woff2"):
                if font.as_uri() == url:
                    kind = {"Content-Type": "font/woff2"}
                    return URLFetcherResponse(url, font.read_bytes(), kind)
            raise ValueError(f"a page names {url[:80]}")

    return OursAlone()
