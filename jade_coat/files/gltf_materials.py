"""Reads what a GLB or glTF file says of its materials: their pictures, factors, and how they meet what is behind.

glTF 2.0, section 3.9, and the extensions KHR_materials_emissive_strength, KHR_materials_specular, KHR_materials_unlit
and KHR_texture_transform.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import unquote

from jade_coat.files.gltf_data import AGAIN, GltfData
from jade_coat.files.gltf_reader import slot_names
from jade_coat.maps.mapset import MapFile
from jade_coat.material.surface import Role
from jade_coat.mesh.data import BadMesh

VARIANTS, SPECULAR = "KHR_materials_variants", "KHR_materials_specular"
Put = Callable[[str, bytes], str]
"""Keeps a picture's bytes under a file name; gives the asset."""
_SUFFIX = {"image/png": ".png", "image/jpeg": ".jpg", "image/webp": ".webp"}


@dataclass(frozen=True)
class FileMaterial:
    """A material of a file, by the slot that wears it; colours linear, values as glTF has them."""

    slot: str
    name: str
    maps: tuple[MapFile, ...] = ()
    uv_set: int = 0
    offset: tuple[float, float] = (0.0, 0.0)
    scale: tuple[float, float] = (1.0, 1.0)
    turn: float = 0.0
    """Radians that its maps are turned by, anticlockwise as they are seen."""
    color: tuple[float, float, float] = (1.0, 1.0, 1.0)
    metallic: float = 1.0
    roughness: float = 1.0
    relief: float = 1.0
    occlusion: float = 1.0
    glow: tuple[float, float, float] = (0.0, 0.0, 0.0)
    kind: str = "opaque"
    """The surface kind that its alphaMode comes to."""
    cut: float = 0.5
    two_sided: bool = False
    specular: float = 1.0
    unlit: bool = False
    left_out: tuple[str, ...] = ()
    """What it holds that is not read, in words."""


def read_materials(data: bytes, name: str, folder: Path | None, put: Put) -> list[FileMaterial]:
    """The materials that say more than a name; their pictures are kept by `put`. Raises BadMesh."""
    try:
        return _Materials(GltfData(data, name, folder), put).all()
    except BadMesh:
        raise
    except (LookupError, TypeError, ValueError, AttributeError, ArithmeticError, struct.error, OSError) as error:
        raise BadMesh(f"{name}: its materials are damaged ({error}). {AGAIN}") from None


@dataclass(frozen=True)
class FileVariant:
    """A variant of a file (KHR_materials_variants): by slot, the slot whose material it wears there."""

    name: str
    worn: Mapping[str, str]


def read_variants(data: bytes, name: str, folder: Path | None) -> list[FileVariant]:
    """The variants of a file, in the order of their indices. Raises BadMesh.

    Where primitives of one material are mapped in different ways, the first counts.
    """
    try:
        return _variants(GltfData(data, name, folder))
    except BadMesh:
        raise
    except (LookupError, TypeError, ValueError, AttributeError, ArithmeticError, struct.error, OSError) as error:
        raise BadMesh(f"{name}: its variants are damaged ({error}). {AGAIN}") from None


def _variants(data: GltfData) -> list[FileVariant]:
    listed = (data.json.get("extensions") or {}).get(VARIANTS) or {}
    names = [str(v.get("name") or f"variant {i}")[:120] for i, v in enumerate(data.list("variants", listed))]
    if not names:
        return []
    slots = slot_names(data, kept=False)
    worn: list[dict[str, str]] = [{} for _ in names]
    for mesh in data.list("meshes", data.json):
        for primitive in data.list("primitives", mesh):
            own = (primitive.get("extensions") or {}).get(VARIANTS) or {}
            at = primitive.get("material")
            slot = slots[data.whole(at, "an index into materials") if at is not None else None]
            for mapping in data.list("mappings", own):
                to = slots[data.whole(mapping.get("material"), "an index into materials")]
                for which in data.list("variants", mapping):
                    worn[data.whole(which, "an index into variants", most=len(names) - 1)].setdefault(slot, to)
    return [FileVariant(name, found) for name, found in zip(names, worn, strict=True)]


class _Materials:
    def __init__(self, data: GltfData, put: Put) -> None:
        self._data, self._put = data, put
        self._images: dict[int, tuple[str, str]] = {}

    def all(self) -> list[FileMaterial]:
        slots = slot_names(self._data, kept=False)
        found = []
        for i, material in enumerate(self._data.list("materials", self._data.json)):
            if isinstance(material, dict):
                one = self._one(slots[i], material)
                if one != FileMaterial(slot=one.slot, name=one.name):
                    found.append(one)
        return found

    # Long: one line for each thing that a material says.
    def _one(self, slot: str, material: dict[str, Any]) -> FileMaterial:
        rough = material.get("pbrMetallicRoughness") or {}
        extensions = material.get("extensions") or {}
        base = self._factor(rough.get("baseColorFactor"), (1.0, 1.0, 1.0, 1.0))
        glow = self._factor(material.get("emissiveFactor"), (0.0, 0.0, 0.0))
        strength = self._number((extensions.get("KHR_materials_emissive_strength") or {}).get("emissiveStrength"), 1.0)
        mode = material.get("alphaMode", "OPAQUE")
        textures = [
            (rough.get("baseColorTexture"), [(Role.BASE_COLOR, "rgb")]),
            (rough.get("metallicRoughnessTexture"), [(Role.ROUGHNESS, "g"), (Role.METALLIC, "b")]),
            (material.get("normalTexture"), [(Role.NORMAL, "rgb")]),
            (material.get("occlusionTexture"), [(Role.OCCLUSION, "r")]),
            (material.get("emissiveTexture"), [(Role.EMISSIVE, "rgb")]),
        ]
        if mode in ("MASK", "BLEND"):
            textures[0][1].append((Role.OPACITY, "a"))
        maps: list[MapFile] = []
        left_out: list[str] = []
        for info, roles in textures:
            if isinstance(info, dict):
                maps += self._maps(info, roles, left_out)
        laid = next((info for info, _ in textures if isinstance(info, dict)), {})
        placed = (laid.get("extensions") or {}).get("KHR_texture_transform") or {}
        others = [i for i, _ in textures if isinstance(i, dict) and self._laid(i) != self._laid(laid)]
        if others:
            left_out.append("its pictures lie in different ways, and all are laid as the first")
        known = {"KHR_materials_emissive_strength", "KHR_materials_unlit", "KHR_texture_transform", SPECULAR}
        specular = extensions.get(SPECULAR) or {}
        if any(specular.get(f"specular{part}") for part in ("Texture", "ColorTexture", "ColorFactor")):
            left_out.append("of its specular the factor alone is read")
        left_out += [f"{name[:60]} is not read" for name in sorted(extensions) if name not in known]
        return FileMaterial(
            slot=slot, name=str(material.get("name") or slot)[:120], maps=tuple(maps),
            uv_set=self._data.whole(placed.get("texCoord", laid.get("texCoord", 0)), "a UV set", most=7),
            offset=self._pair(placed.get("offset"), (0.0, 0.0)), scale=self._pair(placed.get("scale"), (1.0, 1.0)),
            turn=self._number(placed.get("rotation"), 0.0), color=(base[0], base[1], base[2]),
            metallic=self._number(rough.get("metallicFactor"), 1.0),
            roughness=self._number(rough.get("roughnessFactor"), 1.0),
            relief=self._number((material.get("normalTexture") or {}).get("scale"), 1.0),
            occlusion=self._number((material.get("occlusionTexture") or {}).get("strength"), 1.0),
            glow=(glow[0] * strength, glow[1] * strength, glow[2] * strength),
            kind={"MASK": "masked", "BLEND": "blended"}.get(str(mode), "opaque"),
            unlit="KHR_materials_unlit" in extensions,
            specular=self._number(specular.get("specularFactor"), 1.0),
            cut=self._number(material.get("alphaCutoff"), 0.5), two_sided=material.get("doubleSided") is True,
            left_out=tuple(dict.fromkeys(left_out)),
        )  # fmt: skip

    def _laid(self, info: dict[str, Any]) -> tuple[Any, str]:
        return info.get("texCoord", 0), repr((info.get("extensions") or {}).get("KHR_texture_transform"))

    def _maps(self, info: dict[str, Any], roles: list[tuple[Role, str]], left_out: list[str]) -> list[MapFile]:
        texture = self._data.item("textures", info.get("index"))
        source = texture.get("source")
        webp = (texture.get("extensions") or {}).get("EXT_texture_webp") or {}
        source = webp.get("source", source)
        if source is None:
            left_out.append("a picture is of a kind that is not read")
            return []
        asset, file = self._image(source)
        return [
            MapFile(role=role, asset=asset, file=file, channels=channels,
                    color_space="srgb" if role.is_color else "linear")
            for role, channels in roles
        ]  # fmt: skip

    def _image(self, index: Any) -> tuple[str, str]:
        at = self._data.whole(index, "an index into images")
        if at not in self._images:
            image = self._data.item("images", at)
            uri = image.get("uri")
            if "bufferView" in image:
                content = self._data.view(image["bufferView"])
            else:
                content = self._data.load(uri)
                self._data.spend(len(content))
            beside = isinstance(uri, str) and not uri.startswith("data:")
            name = Path(unquote(str(uri))).name if beside else str(image.get("name") or f"image {at + 1}")
            kind = str(image.get("mimeType") or "")
            if not Path(name).suffix:
                name += _SUFFIX.get(kind, ".jpg" if content[:2] == b"\xff\xd8" else ".png")
            self._images[at] = (self._put(name, content), name[:200])
        return self._images[at]

    def _number(self, value: Any, default: float) -> float:
        if value is None:
            return default
        return float(self._data.numbers([value], 1, "a factor")[0])

    def _factor(self, value: Any, default: tuple[float, ...]) -> tuple[float, ...]:
        if value is None:
            return default
        return tuple(float(v) for v in self._data.numbers(value, len(default), "a factor"))

    def _pair(self, value: Any, default: tuple[float, float]) -> tuple[float, float]:
        x, y = self._factor(value, default)
        return x, y
