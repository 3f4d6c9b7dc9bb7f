"""Addresses: the API, its stream, and one page for everything else."""

from django.urls import path, re_path

from highmoor.server.api import api
from highmoor.server.live.stream import stream
from highmoor.server.page import page

# What breaks outside the API (sessions, the page) is answered here.
handler400 = "highmoor.server.page.refused"
handler500 = "highmoor.server.page.broken"
urlpatterns = [
    path("api/stream", stream),
    path("api/", api.urls),
    re_path(r"^(?!api/|static/).*$", page),
]
