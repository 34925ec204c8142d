"""Articles as a folder of Markdown files with front matter: out, and in again after a dry run.

A file begins with `---`, lines of YAML, `---`; the text follows. The same articles make the
same bytes, so that a folder can be kept under version control and compared.
"""

import io
import re
import zipfile
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, time
from typing import Any

import yaml
from django.db import transaction

from gannet.estate.models import Service
from gannet.knowledge import actions, links, pictures
from gannet.knowledge.languages import OURS, family_of, languages, name_of
from gannet.knowledge.models import Article, ArticleKind, ArticlePicture, ArticleState
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.schema import plain_yaml
from gannet.web.errors import Invalid, Problem, Refused
from gannet_core.conditions import fold, words_of
from gannet_core.instants import instant_of, seconds_of

MOST_FILES, MOST_BYTES, MOST_OF_ONE = 2_000, 30_000_000, 400_000
_FENCE = re.compile(r"\A---[ \t]*\n(.*?\n)---[ \t]*\n?", re.DOTALL)
_KEYS = ("number", "title", "kind", "state", "service", "category", "for", "owner", "review",
         "language", "translates")  # fmt: skip
_WHOM = {links.DESK: "desk", links.EVERYBODY: "everybody"}
_NUMBERS_END = 2**53
_EPOCH = (1980, 1, 1, 0, 0, 0)  # of every file in it: the same articles are the same bytes
NEW, CHANGED, SAME, WRONG = "new", "changed", "same", "wrong"


@dataclass
class Line:
    """What a file would do, or did, and why not."""

    file: str
    does: str
    title: str = ""
    number: int | None = None
    why: str = ""


@dataclass
class Read:
    """One file as it was read."""

    file: str
    data: dict[str, Any] = field(default_factory=dict)
    body: str = ""
    why: str = ""
    # Those of its pictures that came with it, as files; `why` names what is no picture.
    shown: dict[str, bytes] = field(default_factory=dict)


def as_folder(articles: Iterable[Article]) -> bytes:
    """Articles as a ZIP of Markdown files, each under its number and title, with their pictures."""
    made = io.BytesIO()
    rows = sorted(articles, key=lambda one: one.pk)
    shown = {(row.pk, name) for row in rows for name in pictures.shown_in(row.body)}
    kept = ArticlePicture.objects.filter(article__in=[row.pk for row in rows]).order_by("pk")
    files = {one.name: one for one in kept if (one.article_id, one.name) in shown}
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as folder:
        for row in rows:
            name = "-".join(words_of(row.title))[:60].strip("-") or "article"
            _add(folder, f"{row.pk}-{name}.md", as_file(row))
        for name, one in sorted(files.items()):
            _add(folder, f"pictures/{name}", pictures.content_of(one))
    return made.getvalue()


def _add(folder: zipfile.ZipFile, name: str, content: str | bytes) -> None:
    info = zipfile.ZipInfo(name, _EPOCH)
    info.compress_type = zipfile.ZIP_DEFLATED
    folder.writestr(info, content)


def as_file(row: Article) -> str:
    """An article as a Markdown file: what its readers see."""
    whom: Any = _WHOM.get(row.for_everybody)
    if whom is None:
        listed = row.audiences.order_by("kind", "name")
        whom = [{one.kind: one.name} for one in listed]
    head: dict[str, Any] = {
        "number": row.pk,
        "title": row.title,
        "kind": row.kind,
        "state": row.state,
        "service": row.service.name if row.service else "",
        "category": row.category,
        "for": whom,
        "owner": row.owner.email if row.owner else "",
        "review": "" if row.review_s is None else f"{instant_of(row.review_s):%Y-%m-%d}",
    }
    if row.language != OURS:
        head["language"] = row.language
    if row.original_id is not None:
        head["translates"] = row.original_id
    said = yaml.safe_dump(head, sort_keys=False, allow_unicode=True, width=1_000)
    return f"---\n{said}---\n\n{row.body.strip()}\n"


def read_folder(content: bytes) -> list[Read]:
    """The Markdown files of a ZIP; what cannot be read says why, and keeps no other from it."""
    try:
        folder = zipfile.ZipFile(io.BytesIO(content))
        names = [one for one in folder.infolist() if one.filename.lower().endswith(".md")]
    except (zipfile.BadZipFile, OSError, ValueError) as error:
        raise Invalid("That is no ZIP file.", fields={"file": "Choose a ZIP."}) from error
    if not names:
        raise Invalid("There is no Markdown file in it.", fields={"file": "No .md file."})
    if len(names) > MOST_FILES or sum(one.file_size for one in names) > MOST_BYTES:
        raise Invalid("That is too much at once.", fields={"file": f"At most {MOST_FILES} files."})
    found = []
    for info in sorted(names, key=lambda one: one.filename):
        name = info.filename[-120:]
        try:
            if info.file_size > MOST_OF_ONE:
                raise ValueError("it is too large")
            with folder.open(info) as opened:
                text = opened.read(MOST_OF_ONE + 1).decode("utf-8")
            read = _read(name, text.replace("\r\n", "\n"))
            if not read.why:
                read.shown = _shown(folder, info.filename, read.body)
            found.append(read)
        except Problem as error:
            found.append(Read(name, why=error.detail))
        except UnicodeDecodeError:
            found.append(Read(name, why="it is no UTF-8 text"))
        except (ValueError, OSError, RuntimeError, NotImplementedError, zipfile.BadZipFile) as e:
            found.append(Read(name, why=str(e)[:200] or "it cannot be read"))
    return found


def _shown(folder: zipfile.ZipFile, file: str, body: str) -> dict[str, bytes]:
    """The pictures that a text shows and that stand in the folder, beside its file."""
    beside = file.rpartition("/")[0]
    found = {}
    for name in pictures.shown_in(body)[: pictures.MOST_OF_ONE_ARTICLE]:
        try:
            info = folder.getinfo(f"{beside}/pictures/{name}" if beside else f"pictures/{name}")
        except KeyError:
            continue
        pictures.check_size(name, info.file_size)
        with folder.open(info) as opened:
            found[name] = opened.read(pictures.MOST_BYTES + 1)
    return found


def _read(name: str, text: str) -> Read:
    if "\x00" in text:
        return Read(name, why="there is a character in it that is none (NUL)")
    match = _FENCE.match(text)
    if match is None:
        return Read(name, why="it does not begin with lines between --- and ---")
    try:
        data = plain_yaml(match.group(1))
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        place = f"line {mark.line + 2}: " if mark else ""
        return Read(name, why=f"{place}{getattr(error, 'problem', '') or 'no YAML'}"[:200])
    except RecursionError:
        return Read(name, why="it is nested too deep")
    if not isinstance(data, dict):
        return Read(name, why="what stands between --- and --- has no names")
    return Read(name, data, text[match.end() :].strip())


@transaction.atomic
def import_folder(acting: Acting, content: bytes, *, is_trial: bool) -> list[Line]:
    """What a folder would do (`is_trial`), or do it: file by file, wrong ones left out."""
    person = acting.person
    if person is None or not person.is_on_desk or not actions.is_editor(person):
        raise Refused("Only knowledge editors and leads of the desk import articles.")
    lines = []
    files = read_folder(content)
    here = {_number(one.data, "number") for one in files} - {0}
    # What is translated comes before what translates it, whatever their files are called.
    files.sort(key=lambda one: one.data.get("translates") is not None)
    became: dict[int, int] = {}
    for one in files:
        try:
            with transaction.atomic():
                line = _one(acting, one, _Originals(became, here if is_trial else set()), is_trial)
                lines.append(line)
                said = _number(one.data, "number")
                if line.number is not None and said:
                    became[said] = line.number
        except Problem as error:
            fields = error.extra.get("fields") or {}
            why = "; ".join(f"{name}: {words}" for name, words in fields.items())
            lines.append(Line(one.file, WRONG, str(one.data.get("title", "")), None,
                              why or error.detail))  # fmt: skip
    return sorted(lines, key=lambda line: line.file)


@dataclass(frozen=True)
class _Originals:
    """What the numbers in a folder's files became here, and those that would come with it."""

    became: Mapping[int, int]
    coming: Collection[int]

    def of(self, one: Read) -> Article | None:
        """The article that a file translates."""
        if one.data.get("translates") is None:
            return None
        said = _number(one.data, "translates")
        number = self.became.get(said, said)
        found = Article.objects.filter(pk=number).first()
        if found is None and said not in self.coming:
            raise Invalid(f"translates: there is no article {said or 'of that number'}.")
        return found.original or found if found is not None else None


def _one(acting: Acting, one: Read, originals: _Originals, is_trial: bool) -> Line:
    if one.why:
        return Line(one.file, WRONG, why=one.why)
    unknown = sorted(str(name) for name in one.data if name not in _KEYS)
    if unknown:
        raise Invalid(f"“{unknown[0]}” is none of {', '.join(_KEYS)}.")
    given, state = _given(one)
    article = _known(one.data, given["title"], given["language"])
    kept = {name: _prepared(name, content) for name, content in one.shown.items()}
    there = set(article.pictures.values_list("name", flat=True)) if article else set()
    lost = [name for name in pictures.shown_in(one.body) if name not in {*kept, *there}]
    if lost:
        raise Invalid(f"pictures/{lost[0]} is not in the folder.")
    original = originals.of(one)
    if original is not None and (article is None or article.pk != original.pk):
        taken = family_of(original).filter(language=given["language"])
        if taken.exclude(pk=article.pk if article else 0).exists():
            raise Invalid(f"language: {original.pk} is in {name_of(given['language'])} already.")
    if article is not None and _is_same(article, given, one, state, original):
        return Line(one.file, SAME, given["title"], article.pk)
    does = NEW if article is None else CHANGED
    if is_trial:
        return Line(one.file, does, given["title"], article.pk if article else None)
    owner, review_s = given.pop("owner"), given.pop("review_s")
    row = actions.write_article(acting, given, article.pk if article else None)
    for name, picture in kept.items():
        pictures.keep(acting, row, replace(picture, name=name))
    if original is not None and row.original_id != original.pk and row.pk != original.pk:
        row.original, row.of_version = original, original.version
        row.save(update_fields=["original", "of_version"])
    if row.state != state or row.newest != row.version:
        row = actions.set_article_state(acting, row.pk, state)
    row.owner, row.review_s = owner or row.owner, review_s or row.review_s
    row.save(update_fields=["owner", "review_s"])
    return Line(one.file, does, row.title, row.pk)


def _prepared(name: str, content: bytes) -> pictures.Prepared:
    try:
        return pictures.prepare(name, content)
    except Invalid as error:  # in a folder the file is known by its name
        raise Invalid(f"pictures/{error.detail}") from error


def _given(one: Read) -> tuple[dict[str, Any], str]:
    """What a file says, checked."""
    data = {name: value for name, value in one.data.items() if value not in (None, "")}
    title = " ".join(str(data.get("title", "")).split())
    if not title:
        raise Invalid("It has no title.")
    kind, state = str(data.get("kind", "how to")), str(data.get("state", "draft"))
    if kind not in ArticleKind.values:
        raise Invalid(f"kind: “{kind}” is none of {', '.join(ArticleKind.values)}.")
    if state not in ArticleState.values:
        raise Invalid(f"state: “{state}” is none of {', '.join(ArticleState.values)}.")
    service = None
    if "service" in data:
        service = Service.objects.filter(name=str(data["service"])).first()
        if service is None:
            raise Invalid(f"service: there is no “{data['service']}”.")
    owner = None
    if "owner" in data:
        owner = Person.objects.filter(email__iexact=str(data["owner"]), is_active=True).first()
        if owner is None:
            raise Invalid(f"owner: nobody has the address “{data['owner']}”.")
    whom, audience = _whom(data.get("for", "desk"))
    language = str(data.get("language", OURS))
    if language not in languages():
        raise Invalid(f"language: there is no “{language}”.")
    return {
        "language": language,
        "title": title,
        "body": one.body,
        "kind": kind,
        "service": service,
        "category": str(data.get("category", ""))[:80],
        "for_everybody": whom,
        "audience": audience,
        "owner": owner,
        "review_s": _review(data.get("review")),
        "note": f"imported from {one.file}"[:200],
    }, state


def _whom(said: Any) -> tuple[int, list[dict[str, str]] | None]:
    for code, name in _WHOM.items():
        if said == name:
            return code, None
    if not isinstance(said, list) or not all(
        isinstance(one, Mapping) and len(one) == 1 for one in said
    ):
        raise Invalid("for: desk, everybody, or a list such as “- place: Orrin Bay”.")
    pairs = [next(iter(one.items())) for one in said]
    return links.SOME, [{"kind": str(kind), "name": str(name)} for kind, name in pairs]


def _review(said: Any) -> int | None:
    if said is None:
        return None
    try:
        day = date.fromisoformat(str(said))
    except ValueError as error:
        raise Invalid(f"review: “{said}” is no day such as 2027-03-20.") from error
    return seconds_of(datetime.combine(day, time(), tzinfo=UTC))


def _known(data: Mapping[str, Any], title: str, language: str) -> Article | None:
    """The article of a file: by its number where its title is the same too, else by its title."""
    rows = Article.objects.select_related("service", "owner")
    found = rows.filter(pk=_number(data, "number")).first()
    if found is not None:
        return found
    named = rows.filter(title_folded=fold(title), language=language)
    return named.order_by("pk").first()


def _number(data: Mapping[str, Any], name: str) -> int:
    """A number that a file says; 0 where it says none that a record can have."""
    said = data.get(name)
    is_one = isinstance(said, int) and not isinstance(said, bool) and 0 < said < _NUMBERS_END
    return int(said) if is_one else 0  # type: ignore[arg-type]


def _is_same(
    article: Article, given: Mapping[str, Any], one: Read, state: str, original: Article | None
) -> bool:
    """Whether a file says nothing new of its article."""
    whom = given["for_everybody"]
    there = {(row.kind, row.name) for row in article.audiences.all()}
    wanted = {(row["kind"], row["name"]) for row in given["audience"] or ()}
    review = "" if article.review_s is None else f"{instant_of(article.review_s):%Y-%m-%d}"
    return (
        (article.title, article.body.strip(), article.kind, article.state, article.category)
        == (given["title"], one.body, given["kind"], state, given["category"])
        and article.service == given["service"]
        and article.language == given["language"]
        and (original is None or original.pk in (article.pk, article.original_id))
        and article.for_everybody == whom
        and there == wanted
        and given["owner"] in (None, article.owner)
        and str(one.data.get("review") or review) == review
    )
