"""DRF's parsers with what `given` checks."""

from typing import IO, Any

from django.http import QueryDict
from rest_framework.parsers import BaseParser, DataAndFiles, MultiPartParser

from gannet.web.given import checked_text, read_json


class JSONReader(BaseParser):
    """A body of JSON; an empty one is an empty object."""

    media_type = "application/json"
    is_guarded = True

    def parse(
        self, stream: IO[Any], media_type: str | None = None, parser_context: Any = None
    ) -> Any:
        body = stream.read()
        return read_json(body, is_guarded=self.is_guarded) if body.strip() else {}


class OpenJSONReader(JSONReader):
    """As `JSONReader`, for what is passed on and not kept: texts stay as they are."""

    is_guarded = False


class FormReader(MultiPartParser):
    """A form with files; its texts are checked like those of JSON."""

    def parse(
        self, stream: IO[Any], media_type: str | None = None, parser_context: Any = None
    ) -> "DataAndFiles[Any, Any]":
        found = super().parse(stream, media_type, parser_context)
        data = QueryDict(mutable=True)
        for name, values in found.data.lists():
            data.setlist(checked_text(name), [checked_text(value) for value in values])
        return DataAndFiles(data, found.files)
