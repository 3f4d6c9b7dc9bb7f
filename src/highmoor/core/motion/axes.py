"""The parts of an axis: its chain, what its motor has to do, where it may go."""

from __future__ import annotations

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.motion.chain import Chain, chain_of
from highmoor.core.motion.load import load_told
from highmoor.core.motion.scale import chain_told
from highmoor.core.motion.told import ChainTold, LoadTold, TravelTold
from highmoor.core.motion.travel import travel_told
from highmoor.core.motion.units import unit_of
from highmoor.core.plant.rows import Axis, ChainLink, Move


def _links(reader: Reader, root: str) -> Chain:
    axis = reader.row(root, Axis)
    return chain_of(reader.children(ChainLink, root), linear=unit_of(axis.kind, axis.unit).linear)


def _chain(reader: Reader, root: str) -> ChainTold:
    return chain_told(reader.row(root, Axis), reader.children(ChainLink, root), reader.part("axis.links", root))


def _load(reader: Reader, root: str) -> LoadTold | None:
    return load_told(reader.row(root, Axis), reader.part("axis.links", root), reader.children(Move, root))


def _travel(reader: Reader, root: str) -> TravelTold:
    return travel_told(reader.row(root, Axis))


def _headlines_of_load(result: LoadTold | None, reader: Reader, root: str) -> list[Headline]:
    if result is None:
        return []
    told = [Headline(root, "peak", "Peak torque", result.peak, "Nm", result.peak_allowed, "less")]
    if result.rms is not None:
        told.append(Headline(root, "rms", "Torque over the cycle", result.rms, "Nm", result.rms_allowed, "less"))
    return told


def _headlines_of_chain(result: ChainTold, reader: Reader, root: str) -> list[Headline]:
    if result.motor_rpm is None:
        return []
    return [Headline(root, "rpm", "Motor at the highest speed", result.motor_rpm, "1/min", result.rated_rpm, "less")]


PARTS: tuple[Part, ...] = (
    Part("axis.links", "axes", _links),
    Part("axis.chain", "axes", _chain, _headlines_of_chain, shown=ChainTold),
    Part("axis.load", "axes", _load, _headlines_of_load, shown=LoadTold),
    Part("axis.travel", "axes", _travel, shown=TravelTold),
)
