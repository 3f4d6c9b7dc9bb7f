"""Who belongs to a plant."""

from __future__ import annotations

from typing import Literal

from django.contrib.auth.models import User
from django.http import HttpRequest
from ninja import Router, Status

from highmoor.core.errors import Refusal
from highmoor.server.api.access import member
from highmoor.server.api.shapes import Shape
from highmoor.server.live.hub import HUB
from highmoor.server.models import Membership

router = Router(tags=["members"])


class MemberOut(Shape):
    name: str
    role: str


class MemberIn(Shape):
    role: Literal["owner", "engineer", "assessor", "reader"]


@router.get("/plants/{key}/members", response=list[MemberOut], operation_id="members")
def members(request: HttpRequest, key: str) -> list[MemberOut]:
    """All members with their roles."""
    project, _ = member(request, key)
    found = project.memberships.select_related("user").order_by("user__username")
    return [MemberOut(name=m.user.get_username(), role=m.role) for m in found]


@router.put("/plants/{key}/members/{name}", response=MemberOut, operation_id="set_member")
def set_member(request: HttpRequest, key: str, name: str, wanted: MemberIn) -> MemberOut:
    """Take a user in, or change the role. The last owner stays owner."""
    project, _ = member(request, key, "own")
    user = User.objects.filter(username=name).first()
    if user is None:
        raise Refusal(f"There is no user called {name}.", field="name", value=name)
    owners = project.memberships.filter(role="owner").exclude(user=user)
    if wanted.role != "owner" and not owners.exists():
        raise Refusal("A plant needs an owner: make somebody else owner first.", field="role", value=wanted.role)
    Membership.objects.update_or_create(project=project, user=user, defaults={"role": wanted.role})
    return MemberOut(name=name, role=wanted.role)


@router.delete("/plants/{key}/members/{name}", response={204: None}, operation_id="remove_member")
def remove_member(request: HttpRequest, key: str, name: str) -> Status[None]:
    """Take a member out; their streams of this plant end."""
    project, _ = member(request, key, "own")
    if not project.memberships.filter(role="owner").exclude(user__username=name).exists():
        raise Refusal("A plant needs an owner: make somebody else owner first.", field="name", value=name)
    project.memberships.filter(user__username=name).delete()
    HUB.member_gone(key, name)
    return Status(204, None)
