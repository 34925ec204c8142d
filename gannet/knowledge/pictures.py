"""The pictures of articles: looked at, made small enough, named, and shown to their readers."""

import hashlib
import io
import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import PurePath

from django.core.files.base import ContentFile
from django.db import transaction
from PIL import Image, ImageOps, UnidentifiedImageError

from gannet.knowledge.models import Article, ArticlePicture
from gannet.people.acting import Acting
from gannet.web.errors import Conflict, Invalid, Missing, Refused, TooLarge
from gannet.web.markdown import PICTURE
from gannet_core.conditions import fold

MOST_BYTES, MOST_PIXELS, WIDEST, MOST_OF_ONE_ARTICLE = 10_000_000, 40_000_000, 1_600, 60
_KINDS = {
    "PNG": ("png", "image/png"),
    "JPEG": ("jpg", "image/jpeg"),
    "GIF": ("gif", "image/gif"),
    "WEBP": ("webp", "image/webp"),
}
_NAMED = re.compile(r"-[0-9a-f]{8}\.(?:png|jpg|gif|webp)$")


def address(number: int) -> str:
    """Where the pictures of an article are."""
    return f"/api/articles/{number}/pictures/"


def shown_in(text: str) -> list[str]:
    """The names of the pictures that a text shows, each once, in their order."""
    return list(dict.fromkeys(found[1] for found in PICTURE.finditer(text)))


@dataclass(frozen=True)
class Prepared:
    """A picture that has been looked at and made small enough, and not been kept yet."""

    name: str
    content_type: str
    content: bytes
    width: int
    height: int


def prepare(name: str, content: bytes) -> Prepared:
    """Look at a picture and make it fit for pages.

    What a camera writes beside the picture (where it was taken) is left out, and what is wider
    than pages are is made as wide as they are.
    """
    image, format_ = _opened(name, content)
    kept, (width, height) = _made(image, format_, content)
    ending, content_type = _KINDS[format_]
    return Prepared(_name(name, content, ending), content_type, kept, width, height)


@transaction.atomic
def keep(acting: Acting, article: Article, given: Prepared) -> ArticlePicture:
    """Keep a picture for an article; one of the same name is the picture that is there."""
    if acting.person is None:
        raise Refused("Only a person adds pictures.")
    known = article.pictures.filter(name=given.name).first()
    if known is not None:
        return known
    if article.pictures.count() >= MOST_OF_ONE_ARTICLE:
        raise Invalid(
            f"An article has at most {MOST_OF_ONE_ARTICLE} pictures: remove one it does not show.",
            fields={"file": "That is one too many."},
        )
    return ArticlePicture.objects.create(
        article=article, name=given.name, content_type=given.content_type, width=given.width,
        height=given.height, size=len(given.content), by=acting.person, at_s=acting.now_s,
        file=ContentFile(given.content, given.name),
    )  # fmt: skip


def check_size(name: str, size: int) -> None:
    """Refuse what is too large to look at."""
    if size > MOST_BYTES:
        raise TooLarge(f"{name} has {size // 1_000_000} MB: 10 MB is the most.")


def remove_picture(article: Article, name: str) -> None:
    """Remove a picture that no version of its article shows."""
    row = found_picture(article, name)
    for version in article.versions.order_by("-number"):
        if name in shown_in(version.body):
            raise Conflict(f"Version {version.number} shows it.")
    row.delete()
    row.file.storage.delete(str(row.file.name))


def found_picture(article: Article, name: str) -> ArticlePicture:
    """A picture of an article by its name."""
    row = article.pictures.filter(name=name).first()
    if row is None:
        raise Missing("There is no such picture.")
    return row


def names_of(name: str, content: bytes) -> list[str]:
    """What the picture of a file may be called here."""
    return [_name(name, content, ending) for ending, _ in _KINDS.values()]


def prepared_of(files: Iterable[tuple[str, bytes]]) -> list[Prepared]:
    """The pictures among some files; what is none of ours is left out."""
    found = []
    for name, content in files:
        try:
            found.append(prepare(name, content))
        except (Invalid, TooLarge):
            continue
    return found


def content_of(picture: ArticlePicture) -> bytes:
    """The bytes of a picture."""
    with picture.file.open("rb") as opened:
        return bytes(opened.read())


def _opened(name: str, content: bytes) -> tuple[Image.Image, str]:
    check_size(name, len(content))
    wrong = Invalid(
        f"{name} is no picture that pages show: PNG, JPEG, GIF and WebP are.",
        fields={"file": "Choose a picture."},
    )
    try:
        image = Image.open(io.BytesIO(content))
        if image.format not in _KINDS:
            raise wrong
        if image.width * image.height > MOST_PIXELS:
            raise TooLarge(f"{name} has too many points: 40 million is the most.")
        image.load()
    except (
        UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError,
    ) as error:  # fmt: skip
        raise wrong from error
    return image, image.format or ""


def _made(image: Image.Image, format_: str, content: bytes) -> tuple[bytes, tuple[int, int]]:
    """The picture anew, without what stands beside it in the file; what moves is let be."""
    if getattr(image, "is_animated", False):
        return content, image.size
    turned = ImageOps.exif_transpose(image)
    if turned.width > WIDEST:
        height = max(1, round(turned.height * WIDEST / turned.width))
        turned = turned.resize((WIDEST, height), Image.Resampling.LANCZOS)
    if format_ == "JPEG" and turned.mode not in ("RGB", "L"):
        turned = turned.convert("RGB")
    for beside in ("exif", "comment", "xmp", "XML:com.adobe.xmp"):
        turned.info.pop(beside, None)
    written = io.BytesIO()
    options = {"quality": 88} if format_ in ("JPEG", "WEBP") else {}
    turned.save(written, format_, optimize=format_ in ("PNG", "JPEG"), **options)
    return written.getvalue(), turned.size


def _name(name: str, content: bytes, ending: str) -> str:
    """A name for pages and folders; one that was made here before stays as it is."""
    given = PurePath(name).name.lower()
    if _NAMED.search(given) and PICTURE.fullmatch(f"pictures/{given}"):
        return given
    plain = re.sub(r"[^a-z0-9]+", "-", fold(PurePath(given).stem)).strip("-")[:40].strip("-")
    part = hashlib.sha256(content).hexdigest()[:8]
    return f"{plain or 'picture'}-{part}.{ending}"
