"""The built front end's files, served by WhiteNoise with long caching for hashed names."""

from __future__ import annotations

import re
from collections.abc import AsyncIterator
from typing import Any, BinaryIO

from asgiref.sync import iscoroutinefunction, markcoroutinefunction, sync_to_async
from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponseBase, StreamingHttpResponse
from whitenoise.base import WhiteNoise
from whitenoise.responders import Response

_HASHED = re.compile(r"^.+-[A-Za-z0-9_-]{8}\.[a-z0-9.]+$")


class StaticFiles:
    """Answers /static/app/… from the build; everything else goes on."""

    sync_capable = async_capable = True

    def __init__(self, get_response: Any) -> None:
        self.get_response = get_response
        self.files = WhiteNoise(None, max_age=60, immutable_file_test=lambda path, url: bool(_HASHED.match(url)))
        if settings.WEB_DIST.is_dir():
            self.files.add_files(str(settings.WEB_DIST), prefix="static/app")
        if iscoroutinefunction(get_response):
            markcoroutinefunction(self)

    def __call__(self, request: HttpRequest) -> Any:
        if iscoroutinefunction(self):
            return self._later(request)
        found = self.files.files.get(request.path_info)
        return _served(found, request) if found else self.get_response(request)

    async def _later(self, request: HttpRequest) -> Any:
        found = self.files.files.get(request.path_info)
        if found is None:
            return await self.get_response(request)
        return await sync_to_async(_served)(found, request, stream=True)


def _served(found: Any, request: HttpRequest, *, stream: bool = False) -> HttpResponseBase:
    answer: Response = found.get_response(request.method, request.META)
    response: HttpResponseBase
    if stream and answer.file is not None:
        response = StreamingHttpResponse(_pieces(answer.file), status=answer.status)
    else:
        response = FileResponse(answer.file or (), status=answer.status)
    response.headers.pop("Content-Type", None)
    for name, value in answer.headers:
        response.headers[name] = value
    return response


async def _pieces(file: BinaryIO) -> AsyncIterator[bytes]:
    try:
        while piece := await sync_to_async(file.read)(65536):
            yield piece
    finally:
        file.close()
