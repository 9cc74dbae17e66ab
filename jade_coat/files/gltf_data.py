"""What a GLB or glTF file holds: its JSON, and its accessors checked against the bytes that are there."""

from __future__ import annotations

import base64
import binascii
import json
import math
import struct
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np

from jade_coat.mesh.data import BadMesh
from jade_coat.program.types import Array

TYPES = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
COUNTS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
MAX_BYTES = 2**30
"""What all buffers of a file, and all arrays read from it, may take together."""
OURS, BAKED = "jade_coat", "baked"
"""The key of our own extras: on a mesh, that UV set 0 is for baked maps, or where its motion lies; on a material, the
slot it was made for."""
AGAIN = "Export it again from the program it came from."
COMPRESSED = ("KHR_draco_mesh_compression", "EXT_meshopt_compression", "KHR_meshopt_compression")
UNDERSTOOD = ("KHR_mesh_quantization", "EXT_mesh_gpu_instancing", "KHR_lights_punctual", "KHR_xmp_json_ld")
"""Extensions that a file may require: what they change of a mesh is read, or they change nothing of it."""
LOOKS = ("KHR_materials_", "EXT_texture_", "KHR_texture_", "MSFT_texture_", "EXT_lights_")
"""How the names of extensions begin that only change how surfaces look, which is not read."""


class GltfData:
    """A file's JSON and its buffers. Every look into them is checked; what does not fit raises BadMesh."""

    def __init__(self, data: bytes, name: str, folder: Path | None) -> None:
        self.name, self._folder = name, folder
        self._blob: bytes | None = None
        self.json = self._parsed(data)
        self._buffers: dict[int, bytes] = {}
        self._spent = 0
        version = self.json.get("asset", {}).get("version") if isinstance(self.json.get("asset"), dict) else None
        if not isinstance(version, str) or not version.startswith("2."):
            raise self.bad(f"this is not glTF 2.0 (its version is {str(version)[:20]!r})")
        for extension in self.list("extensionsRequired", self.json):
            self._check_extension(str(extension))

    def bad(self, reason: str, remedy: str = AGAIN) -> BadMesh:
        """What to raise: the file's name, what is wrong, and what to do."""
        return BadMesh(f"{self.name}: {reason}. {remedy}")

    def _check_extension(self, extension: str) -> None:
        if extension in COMPRESSED:
            raise self.bad(f"it is compressed with {extension}, which is not read", "Export it uncompressed.")
        if extension not in UNDERSTOOD and not extension.startswith(LOOKS):
            raise self.bad(f"it requires {extension[:60]}, which is not read", "Export it without that extension.")

    def _parsed(self, data: bytes) -> dict[str, Any]:
        text = self._text(data) if data[:4] == b"glTF" else data
        try:
            found = json.loads(text.decode("utf-8-sig"))
        except (ValueError, RecursionError) as error:
            raise self.bad(f"its JSON is damaged ({str(error)[:80]})") from None
        if not isinstance(found, dict):
            raise self.bad("this is not glTF 2.0")
        return found

    def _text(self, data: bytes) -> bytes:
        """The JSON of a GLB; its binary part is kept. (glTF 2.0, 4.4: a header of 12 bytes, then chunks.)"""
        if len(data) < 20:
            raise self.bad(f"the file ends after {len(data)} bytes")
        length = struct.unpack_from("<I", data, 8)[0]
        if length > len(data):
            raise self.bad(f"the file ends after {len(data)} of {length} bytes", f"Copy or {AGAIN.lower()}")
        text, at = None, 12
        while at + 8 <= length:
            size, kind = struct.unpack_from("<II", data, at)
            if at + 8 + size > length:
                raise self.bad("one of its parts reaches beyond the end of the file")
            chunk = data[at + 8 : at + 8 + size]
            if kind == 0x4E4F534A and text is None:
                text = chunk
            elif kind == 0x004E4942 and self._blob is None:
                self._blob = chunk
            at += 8 + size + (-size % 4)
        if text is None:
            raise self.bad("it holds no JSON")
        return text

    # Looking into the JSON

    def list(self, key: str, owner: Any) -> list[Any]:
        """A list of an object, empty where there is none."""
        found = owner.get(key) if isinstance(owner, dict) else None
        if found is None:
            return []
        if not isinstance(found, list):
            raise self.bad(f"{key} is no list")
        return found

    def item(self, key: str, index: Any) -> dict[str, Any]:
        """An object of one of the file's top-level lists."""
        items = self.list(key, self.json)
        at = self.whole(index, f"an index into {key}")
        if at >= len(items) or not isinstance(items[at], dict):
            raise self.bad(f"it refers to number {at} of its {key}, but there are {len(items)}")
        found: dict[str, Any] = items[at]
        return found

    def whole(self, value: Any, what: str, least: int = 0, most: int = 2**31 - 1) -> int:
        """A whole number within limits."""
        if isinstance(value, bool) or not isinstance(value, int) or not least <= value <= most:
            raise self.bad(f"{what} is {str(value)[:30]}, expected a whole number of {least} to {most}")
        return value

    def numbers(self, value: Any, count: int, what: str) -> Array:
        """A list of finite numbers, `(count,) float64`."""
        fits = isinstance(value, list) and len(value) == count
        if not fits or any(isinstance(v, bool) or not isinstance(v, (int, float)) for v in value):
            raise self.bad(f"{what} is no list of {count} numbers")
        try:
            found = [float(v) for v in value]
        except OverflowError:
            found = [math.inf]
        if not all(math.isfinite(v) for v in found):
            raise self.bad(f"{what} holds a number that is not finite")
        return np.array(found)

    def spend(self, nbytes: int) -> None:
        """Count what is about to be held against the budget."""
        self._spent += nbytes
        if self._spent > MAX_BYTES:
            raise self.bad(f"it would take more than {MAX_BYTES >> 20} MiB of memory", "Split it into parts.")

    # Accessors and buffers

    def accessor(self, index: Any, components: tuple[int, ...] = ()) -> Array:
        """An accessor's values `(count, components)`; whole numbers as they are unless normalised."""
        a = self.item("accessors", index)
        width, kind = self._type(a)
        if components and width not in components:
            raise self.bad(f"an accessor has {width} components, expected {' or '.join(map(str, components))}")
        count = self.whole(a.get("count"), "the count of an accessor")
        self.spend(count * width * max(kind.itemsize, 4))
        if a.get("bufferView") is None:
            values = np.zeros((count, width), kind)
        else:
            values = self._strided(a["bufferView"], a.get("byteOffset", 0), count, width, kind)
        if a.get("sparse") is not None:
            values = self._patched(values.copy(), a["sparse"], kind)
        if a.get("normalized") is True and kind != np.float32:
            return np.maximum(values.astype(np.float32) / float(np.iinfo(kind).max), -1)
        return values

    def _type(self, a: dict[str, Any]) -> tuple[int, np.dtype[Any]]:
        width = COUNTS.get(str(a.get("type")))
        kind = TYPES.get(a["componentType"]) if isinstance(a.get("componentType"), int) else None
        if width is None or kind is None:
            raise self.bad(f"an accessor is of type {str(a.get('type'))[:20]} {str(a.get('componentType'))[:20]}")
        return width, np.dtype(kind)

    def _patched(self, values: Array, sparse: Any, kind: np.dtype[Any]) -> Array:
        indices, changed = sparse.get("indices", {}), sparse.get("values", {})
        count = self.whole(sparse.get("count"), "the count of a sparse accessor", most=len(values))
        _, index_kind = self._type({**indices, "type": "SCALAR"})
        at = self._strided(indices.get("bufferView"), indices.get("byteOffset", 0), count, 1, index_kind)[:, 0]
        if index_kind.kind == "f" or (len(at) and (at.min() < 0 or at.max() >= len(values))):
            raise self.bad("a sparse accessor changes values that are not there")
        values[at.astype(np.int64)] = self._strided(
            changed.get("bufferView"), changed.get("byteOffset", 0), count, values.shape[1], kind
        )
        return values

    def _strided(self, view_index: Any, offset: Any, count: int, width: int, kind: np.dtype[Any]) -> Array:
        view = self.item("bufferViews", view_index)
        data = self._buffer(self.whole(view.get("buffer"), "the buffer of a buffer view"))
        start = self.whole(view.get("byteOffset", 0), "the offset of a buffer view")
        length = self.whole(view.get("byteLength"), "the length of a buffer view", most=2**40)
        offset = self.whole(offset, "the offset of an accessor")
        row = width * kind.itemsize
        stride = row
        if view.get("byteStride") is not None:  # glTF 2.0, 5.11.4: 4 to 252
            stride = self.whole(view["byteStride"], "byteStride", least=row, most=252)
        if not count:
            return np.zeros((0, width), kind)
        if start + length > len(data) or offset + (count - 1) * stride + row > length:
            raise self.bad("an accessor reaches beyond the end of its buffer")
        raw = np.frombuffer(data, np.uint8, length - offset, start + offset)
        rows = np.lib.stride_tricks.as_strided(raw, (count, row), (stride, 1))
        return np.ascontiguousarray(rows).view(kind)

    def view(self, index: Any) -> bytes:
        """All bytes of a buffer view."""
        length = self.whole(
            self.item("bufferViews", index).get("byteLength"), "the length of a buffer view", most=2**31
        )
        return self._strided(index, 0, length, 1, np.dtype(np.uint8)).tobytes()

    def _buffer(self, index: int) -> bytes:
        if index not in self._buffers:
            found = self.load(self.item("buffers", index).get("uri"))
            self.spend(len(found))
            self._buffers[index] = found
        return self._buffers[index]

    def load(self, uri: Any) -> bytes:
        """What an address names: the file's binary part (None), what is embedded in it, or a file beside it."""
        if uri is None:
            if self._blob is None:
                raise self.bad("its binary part is missing")
            return self._blob
        if not isinstance(uri, str):
            raise self.bad("the address of a buffer is no text")
        if uri.startswith("data:"):
            try:
                return base64.b64decode(uri.partition(",")[2], validate=True)
            except (binascii.Error, ValueError) as error:
                raise self.bad(f"an embedded buffer is damaged ({error})") from None
        return self._neighbour(unquote(uri))

    def _neighbour(self, name: str) -> bytes:
        path = Path(name)
        if self._folder is None or path.is_absolute() or ".." in path.parts or "\0" in name or "://" in name:
            raise self.bad(f"it refers to {name[:80]!r}, which is not beside it", "Export it as one GLB file.")
        path = self._folder / name
        try:
            if path.stat().st_size > MAX_BYTES:
                raise self.bad(f"{name[:80]} is larger than 1 GiB", "Split it into parts.")
            return path.read_bytes()
        except OSError:
            raise self.bad(f"{path} is missing", "Put it back, or export one GLB file.") from None
