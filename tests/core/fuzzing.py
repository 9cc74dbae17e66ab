"""Reads mutated files of one format, within limits on memory and time: run as a process of its own by the fuzz test.

Arguments: the format, a seed, how many. Prints what came out of every kind, or the first mutation that did harm.
"""

from __future__ import annotations

import io
import json
import random
import re
import resource
import struct
import sys
import tempfile
import time
import zlib
from collections import Counter
from collections.abc import Callable
from pathlib import Path

MEMORY = 5 << 30
SLOWEST = 30.0
"""Seconds that one file may take, even on a slow machine."""


def glb() -> bytes:
    from jade_coat.files.gltf_writer import mesh_glb
    from jade_coat.mesh import shapes

    return mesh_glb(shapes.box(1, 1, 1), "box")


def obj() -> bytes:
    return (b"mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvn 0 0 1\n"
            b"usemtl stone\nf 1/1/1 2/2/1 3/3/1\nf 1//1 3//1 4//1\nusemtl moss\nf -4 -3 -2 -1\n")  # fmt: skip


def ply() -> bytes:
    import trimesh

    return bytes(trimesh.creation.box().export(file_type="ply", encoding="binary"))


def ascii_ply() -> bytes:
    import trimesh

    return bytes(trimesh.creation.box().export(file_type="ply", encoding="ascii"))


def picture(kind: str) -> bytes:
    import numpy as np
    from PIL import Image

    buffer = io.BytesIO()
    Image.fromarray((np.random.default_rng(0).random((12, 16, 3)) * 255).astype(np.uint8)).save(buffer, kind)
    return buffer.getvalue()


def exr() -> bytes:
    import numpy as np
    import OpenEXR

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.exr"
        with OpenEXR.File({"type": OpenEXR.scanlineimage}, {"RGB": np.ones((12, 16, 3), np.float32)}) as file:
            file.write(str(path))
        return path.read_bytes()


def project() -> bytes:
    from jade_coat.files.project_folder import FILE, save_project
    from tests.support import every_kind_of_project

    with tempfile.TemporaryDirectory() as folder:
        made, assets = every_kind_of_project()
        save_project(made, assets, Path(folder))
        return (Path(folder) / FILE).read_bytes()


def read_project(data: bytes, folder: Path) -> None:
    from jade_coat.files.project_folder import FILE, open_project

    (folder / FILE).write_bytes(data)
    open_project(folder)


def read_mesh(suffix: str) -> Callable[[bytes, Path], None]:
    def read(data: bytes, folder: Path) -> None:
        from jade_coat.files.mesh_files import read_mesh as read_file

        (folder / f"a.{suffix}").write_bytes(data)
        read_file(folder / f"a.{suffix}")

    return read


def stl() -> bytes:
    import trimesh

    return bytes(trimesh.creation.box().export(file_type="stl"))


def recovery_note() -> bytes:
    from jade_coat.files.processes import Who

    return json.dumps({**Who(77, "5@x", "").told(), "name": "N", "home": "/x", "digest": "a"}).encode()


def read_note(data: bytes, folder: Path) -> None:
    from jade_coat.files.recovery import NOTE, Recovery

    (folder / "r" / "s").mkdir(parents=True, exist_ok=True)
    (folder / "r" / "s" / "project.json").write_bytes(b"{}")
    (folder / "r" / "s" / NOTE).write_bytes(data)
    Recovery(folder / "r").leftovers()


def array() -> bytes:
    import numpy as np

    from jade_coat.files.arrays import array_bytes

    return array_bytes(np.arange(64, dtype=np.uint16).reshape(16, 4))


def read_paint(data: bytes, folder: Path) -> None:
    from jade_coat.files.arrays import read_array

    read_array(data, lambda kind, shape: len(shape) == 2 and shape[1] == 4, "uint16 (n, 4)")


def geotiff() -> bytes:
    import numpy as np
    import tifffile

    buffer = io.BytesIO()
    tags = [(33550, "d", 3, (2.0, 2.0, 0.0), True), (33922, "d", 6, (0.0,) * 6, True), (42113, "s", 0, "-9999", True)]
    tifffile.imwrite(buffer, np.arange(576, dtype=np.float32).reshape(24, 24), extratags=tags)
    return buffer.getvalue()


def heights_npy() -> bytes:
    import numpy as np

    buffer = io.BytesIO()
    np.save(buffer, np.arange(576, dtype=np.float32).reshape(24, 24))
    return buffer.getvalue()


def read_heights_named(name: str) -> Callable[[bytes, Path], None]:
    def read(data: bytes, folder: Path) -> None:
        from jade_coat.files.height_files import read_heights

        read_heights(data, name)

    return read


def read_named(name: str) -> Callable[[bytes, Path], None]:
    def read(data: bytes, folder: Path) -> None:
        from jade_coat.maps.images import read_image

        read_image(data, name)

    return read


def read_picture(data: bytes, folder: Path) -> None:
    from jade_coat.maps.images import linear_radiance

    linear_radiance(data, "a")


FORMATS: dict[str, tuple[Callable[[], bytes], Callable[[bytes, Path], None]]] = {
    "glb": (glb, read_mesh("glb")), "obj": (obj, read_mesh("obj")), "ply": (ply, read_mesh("ply")),
    "ascii ply": (ascii_ply, read_mesh("ply")), "png": (lambda: picture("PNG"), read_picture),
    "stl": (stl, read_mesh("stl")), "webp": (lambda: picture("WEBP"), read_picture),
    "bmp": (lambda: picture("BMP"), read_picture), "tga": (lambda: picture("TGA"), read_named("a.tga")),
    "jpeg": (lambda: picture("JPEG"), read_picture), "tiff": (lambda: picture("TIFF"), read_picture),
    "exr": (exr, read_picture), "project": (project, read_project), "recovery note": (recovery_note, read_note),
    "paint": (array, read_paint), "geotiff": (geotiff, read_heights_named("a.tif")),
    "heights npy": (heights_npy, read_heights_named("a.npy")),
}  # fmt: skip
NUMBERS = (
    "-1",
    "0",
    "1e999",
    "-0.0",
    "NaN",
    "9" * 5000,
    "4294967295",
    "2147483648",
    "1.5",
    "null",
    '"x"',
    "[]",
    "{}",
    "true",
)


def mutated(data: bytes, rng: random.Random) -> bytes:
    """One to four changes: bytes, a number in the text, a run cut out, doubled or moved, the end cut off."""
    for _ in range(rng.randint(1, 4)):
        at = rng.randrange(len(data) or 1)
        kind = rng.randrange(6)
        if kind == 0:
            data = data[:at] + bytes([rng.randrange(256)]) + data[at + 1 :]
        elif kind == 1:
            value = rng.choice((0, 1, 0x7F, 0xFF, 0x7FFFFFFF, 0xFFFFFFFF, 0x80000000))
            data = data[:at] + struct.pack(rng.choice("<>") + "I", value) + data[at + 4 :]
        elif kind == 2:
            found = list(re.finditer(rb"-?\d+(\.\d+)?", data))
            if found:
                one = rng.choice(found)
                data = data[: one.start()] + rng.choice(NUMBERS).encode() + data[one.end() :]
        elif kind == 3:
            end = at + rng.randrange(1, 64)
            data = data[:at] + data[end:]
        elif kind == 4:
            end = at + rng.randrange(1, 64)
            data = data[:end] + data[at:end] + data[end:]
        elif rng.random() < 0.3:
            data = data[:at]
        if data[:4] == b"\x89PNG" and rng.random() < 0.8:
            data = with_right_checksums(data)
        if data[:4] == b"glTF" and len(data) > 20 and rng.random() < 0.7:  # reach what lies behind the lengths
            text = data[20 : 20 + struct.unpack_from("<I", data, 12)[0]]
            try:
                json.loads(text)
            except ValueError:
                continue
            data = data[:8] + struct.pack("<I", len(data)) + data[12:]
    return data


def with_right_checksums(data: bytes) -> bytes:
    """A PNG whose chunks have the checksums of what is in them: what lies behind them is reached (PNG, section 5.5)."""
    made, at = data[:8], 8
    while at + 12 <= len(data):
        size = struct.unpack_from(">I", data, at)[0]
        if size > len(data) - at - 12:
            break
        body = data[at + 4 : at + 8 + size]
        made += struct.pack(">I", size) + body + struct.pack(">I", zlib.crc32(body))
        at += 12 + size
    return made + data[at:]


def main() -> int:
    kind, seed, count = sys.argv[1], int(sys.argv[2]), int(sys.argv[3])
    make, read = FORMATS[kind]
    good = make()
    from jade_coat.files.arrays import BadArray
    from jade_coat.files.height_files import BadHeights
    from jade_coat.files.project_folder import BadProject
    from jade_coat.maps.picture import BadImage
    from jade_coat.mesh.data import BadMesh

    rng, seen = random.Random(seed), Counter[str]()
    with tempfile.TemporaryDirectory() as folder:
        read(good, Path(folder))  # loads the libraries, and shows that the unchanged file is sound
        resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
        for i in range(count):
            data = mutated(good, rng)
            print(f"{kind} {i}", file=sys.stderr, flush=True)
            start = time.process_time()
            try:
                read(data, Path(folder))
                seen["read"] += 1
            except (BadMesh, BadImage, BadProject, BadHeights, BadArray) as error:
                seen[type(error).__name__] += 1
            if time.process_time() - start > SLOWEST:
                print(f"{kind} {i} took too long", file=sys.stderr)
                return 2
    print(dict(seen))
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
