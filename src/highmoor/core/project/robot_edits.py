"""Edits of robots: a new one with its axes, and its axes brought to what its type asks."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from fractions import Fraction
from typing import Literal

from highmoor.core.errors import Refusal
from highmoor.core.motion.chain import chain_of
from highmoor.core.motion.robots.types import OWN, TYPES, WRIST, RobotType, type_of
from highmoor.core.motion.units import unit_of
from highmoor.core.plant.change import with_value
from highmoor.core.plant.rows import Axis, ChainLink, Controller, Robot
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.motion_edits import add_axis, add_chain_link
from highmoor.core.project.set_fields import with_field


def add_robot(draft: Draft, edit: edits.AddRobot) -> None:
    """A robot behind the controller's last, with the axes it was given; those made of drives are as its type asks.

    Raises Refusal for a type that is not known, Gone for what is not there.
    """
    controller = draft.plant.get(draft.resolve(edit.controller), Controller)
    if edit.robot not in TYPES and edit.robot != OWN:
        raise Refusal(f"There is no type {edit.robot[:40]!r} of robots.", field="robot", value=edit.robot)
    taken = [each.name for each in draft.plant.children(Robot, controller.id)]
    name = edit.name or draft.free_name("Robot1", taken)
    rank = draft.last_rank(Robot, controller.id)[0]
    robot = Robot(draft.new_id("robots"), controller.id, name, rank, edit.robot)
    draft.put(robot)
    built = TYPES.get(edit.robot)
    for place, given in edit.joints.items():
        if built and place not in built.places:
            raise Refusal(f"A robot of this type has no {place}.", field=f"joints.{place}", value=given)
        _join(draft, robot, place, draft.resolve(given))
    if edit.tag:
        draft.tags[edit.tag] = robot.id


def _join(draft: Draft, robot: Robot, place: str, given: str) -> None:
    there = draft.plant.get(given, object)
    if isinstance(there, Axis):
        if there.controller != robot.controller:
            raise Refusal(f"{there.name} is an axis of another controller.", place=there.id)
        draft.put(dataclasses.replace(there, robot=robot.id, arm=place))
        return
    kind: Literal["endless", "rotary"] = "endless" if place == WRIST else "rotary"
    add_axis(draft, edits.AddAxis(controller=robot.controller, axis=kind, drive=given, tag="$joint"))
    axis = dataclasses.replace(draft.plant.get(draft.tags["$joint"], Axis), robot=robot.id, arm=place)
    draft.put(axis)
    built = TYPES.get(robot.type)
    if built is None:
        return
    _as_asked(draft, axis, built, frozenset())
    group = built.group(place)
    settings = {"speed": group.most_deg_s} if group else {}
    if place != WRIST:
        settings |= {"soft_minus": built.low_deg, "soft_plus": built.high_deg}
    for key, value in settings.items():
        axis = with_value(draft.plant.get(axis.id, Axis), f"settings.{key}", value)
        draft.put(axis)


def meet_type(draft: Draft, edit: edits.MeetType) -> None:
    """Raises Refusal for a robot whose data sheet is not whole."""
    robot = draft.plant.get(draft.resolve(edit.robot), Robot)
    built, missing = type_of(robot)
    if built is None:
        raise Refusal(f"Of {robot.name} is not set: {', '.join(missing)}.", place=robot.id, field="type")
    for axis_id in draft.plant.referring("axes", "robot", robot.id):
        axis = draft.plant.get(axis_id, Axis)
        if axis.arm in built.places:
            _as_asked(draft, axis, built, frozenset(edit.keys))


def _as_asked(draft: Draft, axis: Axis, built: RobotType, keys: frozenset[str]) -> None:
    """An axis brought to what is asked of it; what has to be so for the rest comes first."""
    group = built.group(axis.arm)
    asks: Mapping[str, float] = group.asks if group else {}
    for key in ("feed", *(key for key in asks if key != "feed")):
        if key not in asks or (keys and key not in keys):
            continue
        axis = draft.plant.get(axis.id, Axis)
        if key == "feed":
            kind = axis.kind if axis.kind in ("rotary", "endless") else "endless" if axis.arm == WRIST else "rotary"
            draft.put(dataclasses.replace(axis, kind=kind, unit="deg"))
        elif key == "gear":
            _geared(draft, axis, asks[key])
        else:
            value = bool(asks[key]) if key == "reversed" else asks[key]
            draft.put(with_field(draft, axis, f"settings.{key}", value))


def _geared(draft: Draft, axis: Axis, asked: float) -> None:
    """Its first gear so that all of them together are as asked; one is put in where there is none."""
    links = draft.plant.children(ChainLink, axis.id)
    if not any(link.kind == "gear" for link in links):
        add_chain_link(draft, edits.AddChainLink(axis=axis.id, link="gear"))
        links = draft.plant.children(ChainLink, axis.id)
    gear = next(link for link in links if link.kind == "gear")
    rest = Fraction(1)
    for stage in chain_of(links, linear=unit_of(axis.kind, axis.unit).linear).stages:
        if stage.link != gear.id and not stage.kind.linear:
            rest *= stage.gives.value
    ratio = Fraction(str(asked)) * rest
    settings = {**gear.settings, "motor_turns": ratio.numerator, "load_turns": ratio.denominator}
    draft.put(dataclasses.replace(gear, settings=settings))
