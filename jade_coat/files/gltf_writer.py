"""Writes GLB files: meshes with every attribute, and props with baked materials."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import pygltflib as g

from jade_coat import __version__
from jade_coat.files.gltf_data import BAKED, OURS
from jade_coat.files.gltf_lights import add_lights
from jade_coat.mesh.data import FULL, MeshData
from jade_coat.program.types import Array
from jade_coat.stage.lamps import Lamp
from jade_coat.stage.project import Light, Prop

UNLIT = "KHR_materials_unlit"
GLOW = "KHR_materials_emissive_strength"
VARIANTS = "KHR_materials_variants"
SPECULAR = "KHR_materials_specular"
TRANSFORM = "KHR_texture_transform"
INSTANCING = "EXT_mesh_gpu_instancing"
_FLOAT, _USHORT, _UBYTE, _UINT = 5126, 5123, 5121, 5125
_ARRAY, _ELEMENT = 34962, 34963


@dataclass(frozen=True)
class Laid:
    """How maps are repeated over a mesh, as KHR_texture_transform says it; `turn` in radians."""

    uv_set: int
    offset: tuple[float, float] = (0.0, 0.0)
    scale: tuple[float, float] = (1.0, 1.0)
    turn: float = 0.0


@dataclass(frozen=True)
class BakedMaterial:
    """PNG files of one material: base colour (sRGB), occlusion–roughness–metallic packed, tangent-space normal."""

    name: str
    base_color: bytes
    packed: bytes
    normal: bytes
    emissive: bytes | None = None
    glow: float = 1.0
    """What the emissive file's full value stands for; beyond 1 by KHR_materials_emissive_strength."""
    alpha: str = "OPAQUE"
    """glTF's alphaMode; with MASK or BLEND the base colour has an alpha."""
    cutoff: float = 0.5
    double_sided: bool = False
    unlit: bool = False
    """Whether no light falls on it: KHR_materials_unlit."""
    specular: float = 1.0
    specular_map: bytes | None = None
    """KHR_materials_specular: the factor, and a file whose alpha multiplies it."""
    laid: Laid | None = None
    """How its maps lie, where they are not baked for UV set 0."""
    tint: tuple[float, ...] = (1.0, 1.0, 1.0, 1.0)
    """What multiplies the base colour, linear."""
    relief: float = 1.0
    """What the slopes of its normals are multiplied by."""


@dataclass(frozen=True)
class Instances:
    """Where the instances of a prop stand: translations `(n, 3)`, quaternions `(n, 4)` and scales `(n, 3)` float32."""

    translations: Array
    rotations: Array
    scales: Array


@dataclass(frozen=True)
class BakedProp:
    """A prop ready for writing: its mesh (UV set 0 is the baked one) and a material per slot."""

    prop: Prop
    mesh: MeshData
    materials: Mapping[str, BakedMaterial]
    variants: Mapping[str, Mapping[str, BakedMaterial]] = field(default_factory=dict)
    """The materials by slot of each variant of its model that goes along, by name, in the order of the indices."""
    tinted: bool = False
    """Whether its first colour set is meant to multiply the base colour, as readers do."""
    instances: Instances | None = None
    """Where it stands, many times over; by EXT_mesh_gpu_instancing."""


class _Glb:
    """Collects accessors, images and buffer views over one binary buffer."""

    def __init__(self) -> None:
        self.gltf = g.GLTF2(asset=g.Asset(version="2.0", generator=f"Jade Coat {__version__}"))
        self.gltf.scenes, self.gltf.scene = [g.Scene(nodes=[])], 0
        self._blob = bytearray()

    def view(self, data: bytes, target: int | None = None) -> int:
        self._blob += bytes(-len(self._blob) % 4)
        view = g.BufferView(buffer=0, byteOffset=len(self._blob), byteLength=len(data), target=target)
        self._blob += data
        self.gltf.bufferViews.append(view)
        return len(self.gltf.bufferViews) - 1

    def attribute(self, values: Array, kind: int, normalized: bool = False, bounds: bool = False) -> int:
        accessor = g.Accessor(
            bufferView=self.view(np.ascontiguousarray(values).tobytes(), _ARRAY), componentType=kind,
            count=len(values), type=f"VEC{values.shape[1]}", normalized=normalized,
        )  # fmt: skip
        if bounds:
            accessor.min, accessor.max = values.min(axis=0).tolist(), values.max(axis=0).tolist()
        self.gltf.accessors.append(accessor)
        return len(self.gltf.accessors) - 1

    def indices(self, triangles: Array) -> int:
        data = np.ascontiguousarray(triangles, np.uint32).ravel()
        accessor = g.Accessor(
            bufferView=self.view(data.tobytes(), _ELEMENT), componentType=_UINT, count=len(data), type="SCALAR"
        )
        self.gltf.accessors.append(accessor)
        return len(self.gltf.accessors) - 1

    def texture(self, png: bytes, name: str) -> int:
        self.gltf.images.append(g.Image(bufferView=self.view(png), mimeType="image/png", name=name))
        if not self.gltf.samplers:
            self.gltf.samplers.append(g.Sampler(magFilter=9729, minFilter=9987, wrapS=10497, wrapT=10497))
        self.gltf.textures.append(g.Texture(source=len(self.gltf.images) - 1, sampler=0))
        return len(self.gltf.textures) - 1

    def attributes(self, mesh: MeshData, data_colors: bool) -> g.Attributes:
        """All vertex streams. With `data_colors`, COLOR_0 is white and paint follows from COLOR_1 on: readers multiply
        base colour by COLOR_0, and paint is no tint."""
        found = g.Attributes(
            POSITION=self.attribute(mesh.positions, _FLOAT, bounds=True),
            NORMAL=self.attribute(mesh.normals, _FLOAT), TANGENT=self.attribute(mesh.tangents, _FLOAT),
        )  # fmt: skip
        for i, uv in enumerate(mesh.uvs):
            setattr(found, f"TEXCOORD_{i}", self.attribute(uv, _FLOAT))
        colors = list(mesh.colors)
        if data_colors:
            white = np.full((mesh.vertex_count, 4), 255, np.uint8)
            found.COLOR_0 = self.attribute(white, _UBYTE, normalized=True)
        for i, color in enumerate(colors, 1 if data_colors else 0):
            setattr(found, f"COLOR_{i}", self.attribute(color, _USHORT, normalized=True))
        return found

    def bytes(self) -> bytes:
        self._blob += bytes(-len(self._blob) % 4)
        self.gltf.buffers = [g.Buffer(byteLength=len(self._blob))]
        self.gltf.set_binary_blob(bytes(self._blob))
        return b"".join(self.gltf.save_to_bytes())


def mesh_glb(mesh: MeshData, name: str) -> bytes:
    """A mesh alone, every attribute as it is, a primitive per slot over shared vertices: how projects keep meshes."""
    glb = _Glb()
    attributes = glb.attributes(mesh, data_colors=False)
    primitives = []
    for slot in mesh.slots:
        glb.gltf.materials.append(g.Material(name=slot.name))
        run = mesh.triangles[slot.start : slot.start + slot.count]
        primitives.append(
            g.Primitive(attributes=attributes, indices=glb.indices(run), material=len(glb.gltf.materials) - 1)
        )
    made = g.Mesh(primitives=primitives, name=name)
    if mesh.motion is not None:
        made.extras = {OURS: {"motion": glb.view(mesh.motion.to_bytes())}}
    glb.gltf.meshes.append(made)
    glb.gltf.nodes.append(g.Node(mesh=0, name=name))
    glb.gltf.scenes[0].nodes = [0]
    return glb.bytes()


def scene_glb(props: Sequence[BakedProp], lamps: Sequence[Lamp] = (), sun: Light | None = None) -> bytes:
    """Props with their baked materials; those with the same mesh and materials share one glTF mesh. And lights."""
    glb = _Glb()
    materials: dict[int, int] = {}
    textures: dict[bytes, int] = {}
    meshes: dict[tuple[object, ...], int] = {}
    names = variant_names(props)
    if names:
        glb.gltf.extensions = {VARIANTS: {"variants": [{"name": name} for name in names]}}
        glb.gltf.extensionsUsed.append(VARIANTS)
    for baked in props:
        dressed = (baked.materials, *baked.variants.values())
        looks = tuple((s, id(m)) for found in dressed for s, m in sorted(found.items()))
        key = (baked.mesh.key, tuple(baked.variants), looks)
        if key not in meshes:
            meshes[key] = _add_mesh(glb, baked, materials, textures, names)
        node = g.Node(mesh=meshes[key], name=baked.prop.name)
        if baked.instances is None:
            node.matrix = baked.prop.matrix().T.ravel().tolist()
        else:
            _instance(glb, node, baked.instances)
        glb.gltf.nodes.append(node)
        glb.gltf.scenes[0].nodes.append(len(glb.gltf.nodes) - 1)
    add_lights(glb.gltf, lamps, sun)
    return glb.bytes()


def _instance(glb: _Glb, node: g.Node, instances: Instances) -> None:
    attributes = {
        "TRANSLATION": glb.attribute(instances.translations, _FLOAT, bounds=True),
        "ROTATION": glb.attribute(instances.rotations, _FLOAT), "SCALE": glb.attribute(instances.scales, _FLOAT),
    }  # fmt: skip
    node.extensions = {INSTANCING: {"attributes": attributes}}
    _use(glb, INSTANCING)
    if INSTANCING not in glb.gltf.extensionsRequired:
        glb.gltf.extensionsRequired.append(INSTANCING)


def variant_names(props: Sequence[BakedProp]) -> list[str]:
    """The names of all variants: of one model in the order of their indices, of several each name once."""
    most = max((len(b.variants) for b in props), default=0)
    listed = [list(b.variants) for b in props]
    return list(dict.fromkeys(names[i] for i in range(most) for names in listed if i < len(names)))


def _add_mesh(
    glb: _Glb, baked: BakedProp, materials: dict[int, int], textures: dict[bytes, int], names: Sequence[str]
) -> int:
    attributes = glb.attributes(baked.mesh, data_colors=not baked.tinted)

    def number(material: BakedMaterial, slot: str) -> int:
        if id(material) not in materials:
            materials[id(material)] = _add_material(glb, material, textures, slot)
        return materials[id(material)]

    primitives = []
    for slot in baked.mesh.slots:
        run = baked.mesh.triangles[slot.start : slot.start + slot.count]
        made = g.Primitive(
            attributes=attributes, indices=glb.indices(run), material=number(baked.materials[slot.name], slot.name)
        )
        worn: dict[int, list[int]] = {}
        for name, found in baked.variants.items():
            worn.setdefault(number(found[slot.name], slot.name), []).append(names.index(name))
        if worn:
            mappings = [{"material": material, "variants": which} for material, which in worn.items()]
            made.extensions = {VARIANTS: {"mappings": mappings}}
        primitives.append(made)
    glb.gltf.meshes.append(g.Mesh(primitives=primitives, name=baked.prop.name, extras={OURS: BAKED}))
    return len(glb.gltf.meshes) - 1


def _add_material(glb: _Glb, baked: BakedMaterial, textures: dict[bytes, int], slot: str) -> int:
    def texture(png: bytes, what: str) -> int:
        if png not in textures:
            textures[png] = glb.texture(png, f"{baked.name} {what}")
        return textures[png]

    def info(png: bytes, what: str, kind: type = g.TextureInfo, **more: float) -> object:
        made = kind(index=texture(png, what), **more)
        if baked.laid is not None:
            made.texCoord = baked.laid.uv_set
            made.extensions = {TRANSFORM: _transform(baked.laid)}
            _use(glb, TRANSFORM)
        return made

    packed = "occlusion roughness metallic"
    material = g.Material(
        name=baked.name,
        extras={OURS: slot},
        pbrMetallicRoughness=g.PbrMetallicRoughness(
            baseColorTexture=info(baked.base_color, "base colour"),
            metallicRoughnessTexture=info(baked.packed, packed),
            baseColorFactor=list(baked.tint) if baked.tint != (1.0, 1.0, 1.0, 1.0) else None,
        ),
        normalTexture=info(baked.normal, "normal", g.NormalMaterialTexture, scale=baked.relief),
        occlusionTexture=info(baked.packed, packed, g.OcclusionTextureInfo),
    )
    if baked.emissive is not None:
        material.emissiveTexture = info(baked.emissive, "emissive")
        material.emissiveFactor = [1.0, 1.0, 1.0]
        if baked.glow > 1:
            _extend(glb, material, GLOW, {"emissiveStrength": baked.glow})
    _cover(material, baked)
    if baked.unlit:
        _extend(glb, material, UNLIT, {})
    elif baked.specular != 1 or baked.specular_map is not None:
        map_index = None if baked.specular_map is None else texture(baked.specular_map, "specular")
        _extend(glb, material, SPECULAR, _specular(baked.specular, map_index))
    glb.gltf.materials.append(material)
    return len(glb.gltf.materials) - 1


def _cover(material: g.Material, baked: BakedMaterial) -> None:
    if baked.alpha != "OPAQUE":
        material.alphaMode = baked.alpha
        material.alphaCutoff = baked.cutoff if baked.alpha == "MASK" else None
    material.doubleSided = baked.double_sided or None


def _specular(factor: float, texture: int | None) -> dict[str, object]:
    told: dict[str, object] = {"specularFactor": factor}
    return told if texture is None else {**told, "specularTexture": {"index": texture}}


def _extend(glb: _Glb, material: g.Material, extension: str, content: dict[str, object]) -> None:
    material.extensions = {**(material.extensions or {}), extension: content}
    _use(glb, extension)


def _use(glb: _Glb, extension: str) -> None:
    if extension not in glb.gltf.extensionsUsed:
        glb.gltf.extensionsUsed.append(extension)


def _transform(laid: Laid) -> dict[str, object]:
    found: dict[str, object] = {"offset": list(laid.offset), "scale": list(laid.scale)}
    return {**found, "rotation": laid.turn} if laid.turn else found


__all__ = ["FULL", "BakedMaterial", "BakedProp", "mesh_glb", "scene_glb"]
