"""Reads what moves in a glTF 2.0 file: skins, morph targets and animated nodes, as clips of even frames."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from jade_coat.files.gltf_data import GltfData
from jade_coat.mesh.motion import HELD, Clip, Motion, held_most, unit
from jade_coat.program.types import Array
from jade_coat.stage.naming import free_name

RATE = 60.0
"""Frames a second of a clip, where it is short enough."""
MOST_FRAMES = 1200
WIDTHS = {"translation": 3, "rotation": 4, "scale": 3}
STATIC = 0
"""The joint that what never moves hangs from."""


@dataclass
class PartMotion:
    """How one part of a scene moves: places before any joint, joints and shares as `Motion` has them, and shapes."""

    positions: Array
    joints: Array
    shares: Array
    shapes: dict[int, tuple[Array, Array]] = field(default_factory=dict)


@dataclass(frozen=True)
class _Channel:
    """What one channel does to a node: values at times, and how they go on between them."""

    node: int
    path: str
    times: Array
    values: Array
    way: str

    def at(self, times: Array) -> Array:
        """The values at times within the clip, `(f, k)` (glTF 2.0, appendix C)."""
        at = np.clip(times, self.times[0], self.times[-1])
        low = np.clip(np.searchsorted(self.times, at, side="right") - 1, 0, max(len(self.times) - 2, 0))
        high = np.minimum(low + 1, len(self.times) - 1)
        step = np.maximum(self.times[high] - self.times[low], 1e-9)
        share = np.clip((at - self.times[low]) / step, 0, 1)[:, None]
        if self.way == "CUBICSPLINE":
            return self._spline(low, high, step[:, None], share)
        if self.way == "STEP":
            return self.values[np.where(share[:, 0] >= 1, high, low)]
        a, b = self.values[low], self.values[high]
        return _slerp(a, b, share) if self.path == "rotation" else a + (b - a) * share

    def _spline(self, low: Array, high: Array, step: Array, t: Array) -> Array:
        inward, value, outward = self.values[:, 0], self.values[:, 1], self.values[:, 2]
        square, cube = t**2, t**3
        found = (2 * cube - 3 * square + 1) * value[low] + (cube - 2 * square + t) * step * outward[low]
        found += (-2 * cube + 3 * square) * value[high] + (cube - square) * step * inward[high]
        return unit(found) if self.path == "rotation" else np.asarray(found)


class MotionReader:
    """Collects the motion of a scene whose nodes stand at `world` in the file's own pose."""

    def __init__(self, data: GltfData, world: Mapping[int, Array], parents: Mapping[int, int]) -> None:
        self.data, self._world, self._parents = data, world, parents
        self._animations = [(a, self._channels(a)) for a in data.list("animations", data.json) if isinstance(a, dict)]
        every = [c for _, channels in self._animations for c in channels]
        self.morphing = {c.node for c in every if c.path == "weights"}
        """The nodes whose shapes come and go."""
        self._moving = {c.node for c in every if c.path != "weights"}
        self._joints: list[tuple[int, Array]] = [(-1, np.eye(4))]
        self._numbers: dict[tuple[int, bytes], int] = {}
        self._shapes: list[tuple[int, int, float]] = []
        self._shape_numbers: dict[tuple[int, int], int] = {}

    @property
    def moves(self) -> bool:
        """Whether anything of the file is animated."""
        return bool(self._moving or self.morphing)

    def rigid(self, positions: Array, nodes: Sequence[tuple[int, Array]], placed: Array) -> PartMotion:
        """A part that stands at nodes, each with a matrix of its own before it; `placed` is where that puts it."""
        count = len(positions)
        if not any(self._is_moved(node) for node, _ in nodes):
            return PartMotion(placed, *_all_from(STATIC, len(placed)))
        numbers = np.repeat([self._joint(node, local) for node, local in nodes], count)
        joints, shares = _all_from(STATIC, len(numbers))
        joints[:, 0] = numbers
        return PartMotion(np.tile(positions, (len(nodes), 1)), joints, shares)

    def skinned(
        self, positions: Array, joints: Sequence[int], inverse: Array, held: Array, shares: Array
    ) -> PartMotion:
        """A part that hangs from the joints of a skin: `held` `(n, m)` are numbers among them."""
        numbers = np.array([self._joint(node, local) for node, local in zip(joints, inverse, strict=True)])
        return PartMotion(positions, *held_most(numbers[held], shares))

    def add_shapes(self, part: PartMotion, node: int, deltas: Sequence[tuple[Array, Array]], weights: Array) -> None:
        """Let the shapes of an animated node move a part."""
        for i, (delta, weight) in enumerate(zip(deltas, weights, strict=True)):
            key = (node, i)
            if key not in self._shape_numbers:
                self._shape_numbers[key] = len(self._shapes)
                self._shapes.append((node, i, float(weight)))
            part.shapes[self._shape_numbers[key]] = delta

    def _is_moved(self, node: int) -> bool:
        while node >= 0:
            if node in self._moving:
                return True
            node = self._parents.get(node, -1)
        return False

    def _joint(self, node: int, local: Array) -> int:
        key = (node, np.asarray(local, np.float64).tobytes())
        if key not in self._numbers:
            if len(self._joints) >= 65535:
                raise self.data.bad("it moves more than 65,534 joints", "Export fewer.")
            self._numbers[key] = len(self._joints)
            self._joints.append((node, np.asarray(local, np.float64)))
        return self._numbers[key]

    # The whole

    def motion(self, parts: Sequence[PartMotion]) -> Motion | None:
        """The motion of parts one after another; None where no clip changes any of them."""
        clips = self._clips()
        total = sum(len(p.positions) for p in parts)
        self.data.spend(len(self._shapes) * total * 24)
        shapes = np.zeros((2, len(self._shapes), total, 3), np.float32)
        start = 0
        for part in parts:
            run = slice(start, start + len(part.positions))
            for number, deltas in part.shapes.items():
                shapes[0, number, run], shapes[1, number, run] = deltas
            start = run.stop
        if not clips:
            return None
        rest = [np.eye(4) if n < 0 else self._world[n] @ local for n, local in self._joints]
        return Motion(
            np.concatenate([p.positions for p in parts]).astype(np.float32),
            np.concatenate([p.joints for p in parts]), np.concatenate([p.shares for p in parts]), shapes[0], shapes[1],
            np.stack(rest)[:, :3].astype(np.float32), np.array([w for *_, w in self._shapes], np.float32), tuple(clips),
        )  # fmt: skip

    def _clips(self) -> list[Clip]:
        clips: list[Clip] = []
        taken: set[str] = set()
        for i, (animation, channels) in enumerate(self._animations):
            name = str(animation.get("name") or f"clip {i + 1}")[:120]
            clip = self._clip(channels, free_name(name, taken))
            if clip is not None:
                taken.add(clip.name)
                clips.append(clip)
        return clips

    def _clip(self, channels: list[_Channel], name: str) -> Clip | None:
        length = max((float(c.times[-1]) for c in channels), default=0.0)
        frames = int(np.clip(np.ceil(length * RATE), 1, MOST_FRAMES - 1)) + 1
        times = np.linspace(0.0, length, frames)
        self.data.spend(frames * (len(self._joints) * 48 + len(self._shapes) * 4))
        joints = self._joints_at(times, channels)
        weights = np.tile(np.array([w for *_, w in self._shapes], np.float32), (frames, 1))
        for channel in channels:
            if channel.path == "weights":
                values = channel.at(times)
                for k, (node, number, _) in enumerate(self._shapes):
                    if node == channel.node:
                        weights[:, k] = values[:, number]
        if (joints == joints[:1]).all() and (weights == weights[:1]).all() and length > 0:
            return None
        return Clip(name, (frames - 1) / length if length > 0 else 1.0, joints, weights)

    def _joints_at(self, times: Array, channels: list[_Channel]) -> Array:
        """The joints at times, `(f, j, 3, 4)`."""
        by_node: dict[int, dict[str, Array]] = {}
        for channel in channels:
            if channel.path != "weights":
                by_node.setdefault(channel.node, {})[channel.path] = channel.at(times)
        wanted: set[int] = set()
        for node, _ in self._joints:
            while node >= 0 and node not in wanted:
                wanted.add(node)
                node = self._parents.get(node, -1)
        world: dict[int, Array] = {-1: np.eye(4)[None]}
        for node in self._world:  # parents come before their children
            if node in wanted:
                own = self._local(node, by_node.get(node), len(times))
                world[node] = world[self._parents.get(node, -1)] @ own
        found = np.zeros((len(times), len(self._joints), 3, 4), np.float32)
        for j, (node, local) in enumerate(self._joints):
            found[:, j] = (world[node] @ local)[:, :3]
        return found

    def _local(self, index: int, moved: dict[str, Array] | None, frames: int) -> Array:
        node = self.data.item("nodes", index)
        if moved is None:
            return local_matrix(self.data, node)[None]
        default = {"translation": [0, 0, 0], "rotation": [0, 0, 0, 1], "scale": [1, 1, 1]}
        values = []
        for path, width in WIDTHS.items():
            still = self.data.numbers(node.get(path, default[path]), width, f"the {path} of a node")
            values.append(moved.get(path, np.broadcast_to(still, (frames, width))))
        return matrices(*values)

    # Channels

    def _channels(self, animation: Any) -> list[_Channel]:
        samplers = self.data.list("samplers", animation)
        found = []
        for given in self.data.list("channels", animation):
            target = given.get("target", {})
            node, path = target.get("node"), target.get("path")
            if node in self._world and (path in WIDTHS or path == "weights"):
                found.append(self._channel(samplers[given["sampler"]], node, path))
        return found

    def _channel(self, sampler: Any, node: int, path: str) -> _Channel:
        data, way = self.data, str(sampler.get("interpolation", "LINEAR"))
        times = data.accessor(sampler["input"], (1,))[:, 0].astype(np.float64)
        values = as_shares(data.accessor(sampler["output"]))
        if not len(times) or not np.isfinite(times).all() or (np.diff(times) < 0).any() or times[0] < 0:
            raise data.bad("the times of an animation do not rise")
        if not np.isfinite(values).all():
            raise data.bad("an animation has values that are no numbers")
        each = 3 if way == "CUBICSPLINE" else 1
        width = WIDTHS.get(path) or (values.size // max(len(times) * each, 1))
        if not width or values.size != len(times) * each * width:
            raise data.bad("an animation has another number of values than times")
        shaped = values.reshape(len(times), each, width) if each == 3 else values.reshape(len(times), width)
        return _Channel(node, path, times, shaped, way)


def local_matrix(data: GltfData, node: Any) -> Array:
    """The matrix `(4, 4)` of a node within its parent."""
    if node.get("matrix") is not None:
        return data.numbers(node["matrix"], 16, "the matrix of a node").reshape(4, 4).T
    return matrices(
        data.numbers(node.get("translation", [0, 0, 0]), 3, "the translation of a node")[None],
        data.numbers(node.get("rotation", [0, 0, 0, 1]), 4, "the rotation of a node")[None],
        data.numbers(node.get("scale", [1, 1, 1]), 3, "the scale of a node")[None],
    )[0]


def matrices(translation: Array, rotation: Array, scale: Array) -> Array:
    """Matrices `(n, 4, 4)` of translations `(n, 3)`, quaternions `(n, 4)` (x, y, z, w) and scales `(n, 3)`."""
    made = np.tile(np.eye(4), (len(translation), 1, 1))
    if len(translation) == 1 and rotation[0].tolist() == [0, 0, 0, 1]:
        made[0, :3, :3] = np.diag(scale[0])
    else:
        from scipy.spatial.transform import Rotation

        made[:, :3, :3] = Rotation.from_quat(rotation).as_matrix() * scale[:, None, :]
    made[:, :3, 3] = translation
    return made


def as_shares(values: Array) -> Array:
    """Numbers that may be stored as whole ones (glTF 2.0, 3.11)."""
    if values.dtype == np.float32:
        return values.astype(np.float64)
    return np.maximum(values.astype(np.float64) / np.iinfo(values.dtype).max, -1.0)


def _slerp(a: Array, b: Array, share: Array) -> Array:
    """Between unit quaternions `(n, 4)` the short way round (Shoemake 1985)."""
    a, b = unit(a), unit(b)
    cosine = (a * b).sum(axis=1, keepdims=True)
    b, cosine = np.where(cosine < 0, -b, b), np.abs(cosine)
    angle = np.arccos(np.minimum(cosine, 1.0))
    sine = np.sin(angle)
    close = sine < 1e-6
    safe = np.where(close, 1.0, sine)
    first = np.where(close, 1 - share, np.sin((1 - share) * angle) / safe)
    second = np.where(close, share, np.sin(share * angle) / safe)
    return unit(first * a + second * b)


def _all_from(joint: int, count: int) -> tuple[Array, Array]:
    joints, shares = np.full((count, HELD), joint, np.uint16), np.zeros((count, HELD), np.float32)
    shares[:, 0] = 1.0
    return joints, shares
