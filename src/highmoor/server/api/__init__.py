"""The HTTP API, described by OpenAPI; errors are RFC 9457 problem documents."""

from __future__ import annotations

from ninja import NinjaAPI
from ninja.security import django_auth

from highmoor.server.answers import Renderer
from highmoor.server.api import (
    bench,
    catalogue,
    copying,
    editing,
    figures,
    files,
    history,
    image,
    lists,
    members,
    motion,
    plants,
    programs,
    robots,
    safety,
    scanner_devices,
    scans,
    seals,
    session,
    signal_files,
    views,
)
from highmoor.server.api.problems import install

api = NinjaAPI(
    title="Highmoor", version="1", auth=django_auth, docs_url=None, urls_namespace="api", renderer=Renderer()
)
install(api)
for router in (
    session, plants, editing, views, catalogue, files, lists, copying, history, members, figures, bench, scans,
    signal_files, image, programs, motion, robots, safety, seals,
    scanner_devices,
):  # fmt: skip
    api.add_router("", router.router)
