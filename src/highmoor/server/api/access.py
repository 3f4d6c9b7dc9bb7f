"""Who may do what: every route to a plant goes through `member`."""

from __future__ import annotations

from typing import Literal

from django.contrib.auth.models import User
from django.http import Http404, HttpRequest

from highmoor.server.api.problems import Forbidden
from highmoor.server.models import Membership, Project
from highmoor.server.plants import OpenPlant, open_plant

May = Literal["read", "edit", "own"]
_ROLES: dict[May, tuple[str, ...]] = {
    "read": ("owner", "engineer", "assessor", "reader"),
    "edit": ("owner", "engineer"),
    "own": ("owner",),
}


def user_of(request: HttpRequest) -> User:
    """The signed-in user."""
    user = request.user
    assert isinstance(user, User)
    return user


def member(request: HttpRequest, key: str, may: May = "read") -> tuple[Project, str]:
    """The project and the user's role. To others it does not exist (404); a role too low is 403."""
    found = Membership.objects.filter(project__key=key, user=user_of(request)).select_related("project").first()
    if found is None:
        raise Http404
    if found.role not in _ROLES[may]:
        raise Forbidden(f"As {found.role} you can look at this plant, but not change it.")
    return found.project, found.role


def opened(request: HttpRequest, key: str, may: May = "read") -> OpenPlant:
    """The open plant, for a member who may."""
    project, _ = member(request, key, may)
    return open_plant(project)
