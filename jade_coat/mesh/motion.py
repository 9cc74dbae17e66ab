"""How a mesh moves by itself: vertices hang from joints, and shapes are laid over them.

glTF 2.0: 3.7.2.2 (morph targets), 3.7.3 (skins).
"""

from __future__ import annotations

import io
import zipfile
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from jade_coat.program.types import Array

HELD = 4
"""From so many joints a vertex hangs at the most; the rest is given to those that hold it most."""
MAX_BYTES = 2**30


class BadMotion(ValueError):
    """A stored motion that cannot be read."""


@dataclass(frozen=True, eq=False)
class Clip:
    """One animation, in frames at even times: `joints` `(f, j, 3, 4)` place bind positions in the mesh's own space,
    `weights` `(f, k)` are the amounts of the shapes. It starts again at its end."""

    name: str
    rate: float
    """Frames a second."""
    joints: Array
    weights: Array

    @property
    def length(self) -> float:
        """Seconds."""
        return (len(self.joints) - 1) / self.rate

    def at(self, time: float) -> tuple[Array, Array]:
        """The joints `(j, 3, 4)` and weights `(k,)` at a time in seconds, between two frames."""
        place = (time % self.length) * self.rate if self.length > 0 else 0.0
        low = min(int(place), len(self.joints) - 1)
        high, share = min(low + 1, len(self.joints) - 1), np.float32(place - low)
        return (
            self.joints[low] + (self.joints[high] - self.joints[low]) * share,
            self.weights[low] + (self.weights[high] - self.weights[low]) * share,
        )


@dataclass(frozen=True, eq=False)
class Motion:
    """What moves a mesh. The mesh itself is as its file poses it: by `rest_joints` and `rest_weights`.

    positions `(n, 3) float32` before any joint or shape; joints `(n, HELD) uint16` and shares `(n, HELD) float32`,
    which add up to 1; shapes `(k, n, 3)` and shape_normals `(k, n, 3)` are what each shape adds in full.
    """

    positions: Array
    joints: Array
    shares: Array
    shapes: Array
    shape_normals: Array
    rest_joints: Array
    rest_weights: Array
    clips: tuple[Clip, ...]
    _kept: dict[str, Any] = field(default_factory=dict, repr=False)

    def clip(self, name: str) -> Clip | None:
        """A clip by name."""
        return next((c for c in self.clips if c.name == name), None)

    def take(self, source: Array) -> Motion:
        """The motion of vertices `(m,)`, in that order."""
        return self._with_vertices(
            self.positions[source], self.joints[source], self.shares[source], self.shapes[:, source],
            self.shape_normals[:, source],
        )  # fmt: skip

    def between(self, parents: Array) -> Motion:
        """The motion of vertices midway between two each, `(m, 2)`."""
        a, b = parents.T
        joints = np.concatenate([self.joints[a], self.joints[b]], axis=1)
        shares = np.concatenate([self.shares[a], self.shares[b]], axis=1) / 2
        return self._with_vertices(
            (self.positions[a] + self.positions[b]) / 2, *held_most(joints, shares),
            (self.shapes[:, a] + self.shapes[:, b]) / 2, (self.shape_normals[:, a] + self.shape_normals[:, b]) / 2,
        )  # fmt: skip

    def _with_vertices(self, positions: Array, joints: Array, shares: Array, shapes: Array, normals: Array) -> Motion:
        return Motion(positions, joints, shares, shapes, normals, self.rest_joints, self.rest_weights, self.clips)

    def posed(self, normals: Array, tangents: Array, clip: Clip, time: float) -> tuple[Array, Array, Array]:
        """Positions, normals `(n, 3)` and tangents `(n, 4)` at a time of a clip, of a mesh that has these at rest."""
        joints, weights = clip.at(time)
        blend = self._blend(joints)
        shapes = np.tensordot(weights, self.shapes, 1) if len(weights) else np.float32(0)
        positions = np.einsum("nij,nj->ni", blend[:, :, :3], self.positions + shapes) + blend[:, :, 3]
        linear = blend[:, :, :3] @ self._from_rest
        own = normals
        more = weights - self.rest_weights
        if more.any():  # what shapes add is meant before the joints
            added = np.tensordot(more, self.shape_normals, 1)
            own = normals + np.einsum("nji,nj->ni", self._from_rest, added)
        turned = np.einsum("nij,nj->ni", _cofactors(linear), own)
        along = np.einsum("nij,nj->ni", linear, tangents[:, :3])
        along -= turned * ((along * turned).sum(axis=1) / np.maximum((turned**2).sum(axis=1), 1e-20))[:, None]
        found = np.concatenate([unit(along), tangents[:, 3:]], axis=1)
        return positions.astype(np.float32), unit(turned).astype(np.float32), found.astype(np.float32)

    def _blend(self, joints: Array) -> Array:
        """The matrix of each vertex `(n, 3, 4)`."""
        total = joints[self.joints[:, 0]] * self.shares[:, 0, None, None]
        for i in range(1, self.joints.shape[1]):
            total += joints[self.joints[:, i]] * self.shares[:, i, None, None]
        return np.asarray(total)

    @property
    def _from_rest(self) -> Array:
        """The linear part that takes each vertex back from rest, `(n, 3, 3)`."""
        if "from_rest" not in self._kept:
            at_rest = self._blend(self.rest_joints)[:, :, :3].astype(np.float64)
            flat = np.abs(np.linalg.det(at_rest)) < 1e-12
            at_rest[flat] = np.eye(3)
            self._kept["from_rest"] = np.linalg.inv(at_rest).astype(np.float32)
        return np.asarray(self._kept["from_rest"])

    def bounds(self, clip: Clip) -> tuple[Array, Array]:
        """A box `(3,)` to `(3,)` that holds the mesh at all times of a clip: those of all joints' vertices, moved."""
        key = f"bounds {clip.name}"
        if key not in self._kept:
            most = np.abs(clip.weights).max(axis=0) if len(clip.weights) else np.zeros(0)
            grown = np.tensordot(most, np.abs(self.shapes), 1) if len(most) else np.zeros_like(self.positions)
            low, high = [], []
            for joint in np.unique(self.joints[self.shares > 0]):
                held = ((self.joints == joint) & (self.shares > 0)).any(axis=1)
                least = (self.positions[held] - grown[held]).min(axis=0)
                greatest = (self.positions[held] + grown[held]).max(axis=0)
                linear, away = clip.joints[:, joint, :, :3], clip.joints[:, joint, :, 3]
                middle = linear @ ((least + greatest) / 2) + away
                half = np.abs(linear) @ ((greatest - least) / 2)
                low.append((middle - half).min(axis=0))
                high.append((middle + half).max(axis=0))
            self._kept[key] = (np.min(low, axis=0), np.max(high, axis=0))
        found: tuple[Array, Array] = self._kept[key]
        return found

    # How it is stored: NumPy's own file format, without anything but numbers

    def to_bytes(self) -> bytes:
        """All of it as one `.npz` file."""
        arrays = {n: getattr(self, n) for n in _ARRAYS}
        for i, clip in enumerate(self.clips):
            name = np.frombuffer(clip.name.encode(), np.uint8)
            arrays |= {f"name{i}": name, f"rate{i}": np.float64(clip.rate)}
            arrays |= {f"joints{i}": clip.joints, f"weights{i}": clip.weights}
        out = io.BytesIO()
        np.savez(out, **arrays)
        return out.getvalue()

    @classmethod
    def from_bytes(cls, data: bytes) -> Motion:
        """Read it back. Raises BadMotion for what is no sound motion."""
        try:
            with zipfile.ZipFile(io.BytesIO(data)) as packed:
                if sum(i.file_size for i in packed.infolist()) > MAX_BYTES:
                    raise BadMotion("a motion is larger than 1 GiB")
            with np.load(io.BytesIO(data), allow_pickle=False) as found:
                arrays = {n: found[n] for n in _ARRAYS}
                clips: list[Clip] = []
                while f"name{len(clips)}" in found:
                    i = len(clips)
                    name, rate = found[f"name{i}"].tobytes().decode(), float(found[f"rate{i}"])
                    clips.append(Clip(name, rate, found[f"joints{i}"], found[f"weights{i}"]))
            made = cls(**arrays, clips=tuple(clips))
            made._check()
            return made
        except BadMotion:
            raise
        except Exception as error:  # whatever the libraries raise for damaged bytes
            raise BadMotion(f"a motion is damaged ({error})") from None

    def _check(self) -> None:
        count, shapes, joints = len(self.positions), len(self.shapes), len(self.rest_joints)
        sound = (
            self.positions.shape == (count, 3)
            and self.joints.shape == self.shares.shape == (count, HELD)
            and self.shapes.shape == self.shape_normals.shape == (shapes, count, 3)
            and self.rest_joints.shape == (joints, 3, 4)
            and self.rest_weights.shape == (shapes,)
            and (not count or int(self.joints.max()) < joints)
            and all(np.isfinite(getattr(self, n)).all() for n in _ARRAYS)
        )
        for clip in self.clips:
            frames = len(clip.joints)
            sound = bool(
                sound and frames > 0 and 0 < clip.rate < 1e6
                and clip.joints.shape == (frames, joints, 3, 4) and clip.weights.shape == (frames, shapes)
                and np.isfinite(clip.joints).all() and np.isfinite(clip.weights).all()
            )  # fmt: skip
        if not sound:
            raise BadMotion("a motion does not fit together")


_ARRAYS = ("positions", "joints", "shares", "shapes", "shape_normals", "rest_joints", "rest_weights")


def held_most(joints: Array, shares: Array) -> tuple[Array, Array]:
    """Of joints `(n, m)` with shares the `HELD` that hold most, and their shares made to add up to 1.

    Joints that are named twice count together.
    """
    order = np.argsort(joints, axis=1, kind="stable")
    joints, shares = np.take_along_axis(joints, order, 1), np.take_along_axis(shares, order, 1).astype(np.float64)
    for i in range(joints.shape[1] - 1, 0, -1):
        same = joints[:, i] == joints[:, i - 1]
        shares[same, i - 1] += shares[same, i]
        shares[same, i] = 0.0
    most = np.argsort(-shares, axis=1, kind="stable")[:, :HELD]
    joints, shares = np.take_along_axis(joints, most, 1), np.take_along_axis(shares, most, 1)
    missing = HELD - joints.shape[1]
    if missing > 0:
        joints, shares = np.pad(joints, ((0, 0), (0, missing))), np.pad(shares, ((0, 0), (0, missing)))
    total = shares.sum(axis=1, keepdims=True)
    shares = np.where(total > 1e-6, shares / np.maximum(total, 1e-6), np.eye(HELD)[0])
    return joints.astype(np.uint16), shares.astype(np.float32)


def _cofactors(linear: Array) -> Array:
    """The matrices `(n, 3, 3)` that turn normals: inverse transposes, but for their size."""
    a, b, c = linear[:, :, 0], linear[:, :, 1], linear[:, :, 2]
    return np.stack([np.cross(b, c), np.cross(c, a), np.cross(a, b)], axis=2)


def unit(vectors: Array) -> Array:
    """Vectors `(n, k)` at length 1; those without length stay 0."""
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-20))
