"""glTF extensions against another library: what it writes is read, and what is written it reads."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from jade_coat.bake.exporting import export_glb
from jade_coat.cli import main
from jade_coat.files.assets import Assets
from jade_coat.files.file_looks import look_of, notes_of
from jade_coat.files.gltf_lights import lamps_of, read_lights
from jade_coat.files.gltf_materials import read_materials, read_variants
from jade_coat.files.gltf_reader import read_gltf
from jade_coat.files.library import Library
from jade_coat.files.project_folder import open_project
from jade_coat.jobs.job import Job
from jade_coat.material.material import Coat, Finish, Material
from jade_coat.material.rows import field_values
from jade_coat.material.surface import NoMaps, Surface
from jade_coat.material.where import SlopeTerm
from jade_coat.mesh import shapes
from jade_coat.mesh.data import BadMesh
from jade_coat.stage.alone import single
from jade_coat.stage.lamps import Lamp
from jade_coat.stage.looks import finish_on, material_of
from jade_coat.stage.project import Light, Project, Prop
from jade_coat.stage.turns import turn_of
from tests.core.test_light import ball_scene
from tests.support import assert_valid_glb, node_script

WRITER = """
const {Document, NodeIO} = require('@gltf-transform/core'), x = require('@gltf-transform/extensions');
const doc = new Document(), buffer = doc.createBuffer();
const corners = new Float32Array([0,0,0, 1,0,0, 1,1,0, 0,1,0]);
const mesh = doc.createMesh('Panel'), looks = {};
const specular = doc.createExtension(x.KHRMaterialsSpecular), unlit = doc.createExtension(x.KHRMaterialsUnlit);
for (const [name, colour] of [['Oak', [.4,.2,.1,1]], ['Brass', [.8,.6,.2,1]], ['Felt', [.1,.3,.2,1]], ['Sign', [.9,.1,.1,1]]])
  looks[name] = doc.createMaterial(name).setBaseColorFactor(colour).setMetallicFactor(0);
looks.Felt.setExtension('KHR_materials_specular', specular.createSpecular().setSpecularFactor(0.25));
looks.Sign.setExtension('KHR_materials_unlit', unlit.createUnlit());
const variants = doc.createExtension(x.KHRMaterialsVariants);
const named = Object.fromEntries(['Plain', 'Rich', 'Loud'].map(n => [n, variants.createVariant(n)]));
const parts = {Oak: {Rich: 'Brass', Loud: 'Sign'}, Felt: {Loud: 'Brass'}};
for (const [own, worn] of Object.entries(parts)) {
  const list = variants.createMappingList();
  for (const [variant, to] of Object.entries(worn))
    list.addMapping(variants.createMapping().setMaterial(looks[to]).addVariant(named[variant]));
  mesh.addPrimitive(doc.createPrimitive().setMaterial(looks[own]).setExtension('KHR_materials_variants', list)
    .setAttribute('POSITION', doc.createAccessor().setType('VEC3').setArray(corners).setBuffer(buffer))
    .setIndices(doc.createAccessor().setArray(new Uint16Array([0,1,2, 0,2,3])).setBuffer(buffer)));
}
variants.createVariant('Unused');
const lights = doc.createExtension(x.KHRLightsPunctual);
const lamp = lights.createLight('Lantern').setType('point').setColor([1,.5,.25]).setIntensity(3).setRange(4);
const spot = lights.createLight('Beam').setType('spot').setIntensity(20).setInnerConeAngle(.2).setOuterConeAngle(.6);
const sun = lights.createLight('Day').setType('directional').setIntensity(2);
const above = doc.createNode('Above').setTranslation([0,2,0]).setRotation([0,Math.SQRT1_2,0,Math.SQRT1_2])
  .addChild(doc.createNode('L').setTranslation([0,0,1]).setExtension('KHR_lights_punctual', lamp))
  .addChild(doc.createNode('B').setExtension('KHR_lights_punctual', spot));
doc.createScene().addChild(doc.createNode('Panel').setMesh(mesh)).addChild(above)
  .addChild(doc.createNode('S').setExtension('KHR_lights_punctual', sun));
new NodeIO().registerExtensions(x.ALL_EXTENSIONS).write(process.argv[1], doc).then(() => console.log('"written"'));
"""
READER = """
const {NodeIO} = require('@gltf-transform/core'), x = require('@gltf-transform/extensions');
new NodeIO().registerExtensions(x.ALL_EXTENSIONS).read(process.argv[1]).then(doc => {
  const root = doc.getRoot(), lights = [], looks = {};
  for (const node of root.listNodes()) {
    const l = node.getExtension('KHR_lights_punctual');
    if (l) lights.push({name: l.getName(), type: l.getType(), color: l.getColor(), intensity: l.getIntensity(),
      range: l.getRange(), inner: l.getInnerConeAngle(), outer: l.getOuterConeAngle(), matrix: node.getWorldMatrix()});
  }
  for (const m of root.listMaterials()) {
    const s = m.getExtension('KHR_materials_specular'), g = m.getExtension('KHR_materials_emissive_strength');
    looks[m.getName()] = {specular: s ? s.getSpecularFactor() : 1, textured: !!(s && s.getSpecularTexture()),
      unlit: !!m.getExtension('KHR_materials_unlit'), glow: g ? g.getEmissiveStrength() : 1};
  }
  console.log(JSON.stringify({lights, looks}));
});
"""


@pytest.fixture
def foreign(tmp_path: Path) -> Path:
    """A file written by another library: three variants over two parts, lights, a specular and an unlit material."""
    path = tmp_path / "panel.glb"
    assert node_script(WRITER, str(path)) == "written"
    return path


def test_variants_that_another_library_wrote_import_right(foreign: Path, tmp_path: Path, capsys) -> None:
    data = foreign.read_bytes()
    found = {v.name: dict(v.worn) for v in read_variants(data, foreign.name, None)}
    assert found == {"Plain": {}, "Rich": {"Oak": "Brass"}, "Loud": {"Oak": "Sign", "Felt": "Brass"}, "Unused": {}}
    assert main(["import", str(tmp_path / "p"), str(foreign), "--materials"]) == 0
    capsys.readouterr()
    project = open_project(tmp_path / "p").project
    (prop,) = project.props
    mesh = project.mesh(prop.mesh)
    worn = {
        v.name: {s: material_of(project, finish_on(project, prop.with_(variant=v.id), s)).name for s in mesh.slots}
        for v in mesh.variants
    }
    assert worn == {
        "Plain": {"Oak": "Oak", "Felt": "Felt"}, "Rich": {"Oak": "Brass", "Felt": "Felt"},
        "Loud": {"Oak": "Sign", "Felt": "Brass"}, "Unused": {"Oak": "Oak", "Felt": "Felt"},
    }  # fmt: skip
    assert {m.name: m.strength for m in project.lamps} == {"Lantern": 3.0, "Beam": 20.0}


def test_specular_and_unlit_materials_of_another_library_are_taken(foreign: Path) -> None:
    found = {m.name: m for m in read_materials(foreign.read_bytes(), foreign.name, None, lambda *_: "")}
    assert found["Felt"].specular == 0.25
    assert look_of(found["Felt"]).surface.specular == 0.25
    sign = look_of(found["Sign"]).surface
    assert (sign.color, sign.specular) == ((0.0, 0.0, 0.0), 0.0)
    assert sign.emissive == pytest.approx((0.9, 0.1, 0.1), abs=1e-6)
    assert all(notes_of(m) == [] for m in found.values())


def test_lights_of_another_library_stand_and_shine_where_they_do_there(foreign: Path) -> None:
    """KHR_lights_punctual: a light shines along −z of its node; a turn of 90° about y takes −z to −x."""
    lights = {m.name: m for m in read_lights(foreign.read_bytes(), foreign.name, None)}
    assert {n: m.kind for n, m in lights.items()} == {"Lantern": "point", "Beam": "spot", "Day": "directional"}
    assert lights["Lantern"].position == pytest.approx((1, 2, 0), abs=1e-6)
    lamps = {m.name: m for m in lamps_of(list(lights.values()), Project(), (0, 0, 5))}
    assert set(lamps) == {"Lantern", "Beam"}
    lantern, beam = lamps["Lantern"], lamps["Beam"]
    assert (lantern.color, lantern.strength, lantern.reach, lantern.spot) == ((1.0, 0.5, 0.25), 3.0, 4.0, False)
    assert beam.position == pytest.approx((0, 2, 5), abs=1e-6)
    assert Rotation.from_quat(beam.turn).apply([0, -1, 0]) == pytest.approx((-1, 0, 0), abs=1e-6)
    assert (beam.inner, beam.outer) == pytest.approx((0.2, 0.6), abs=1e-6)
    assert read_gltf(foreign.read_bytes(), "panel").triangles.shape == (4, 3)


def glowing_project() -> tuple[Project, Library]:
    library = Library(Assets())
    asset = library.add_mesh(shapes.box(1, 1, 1), "Box", set())
    surfaces = {"Felt": Surface(specular=0.3), "Lamp": Surface(emissive=(4.0, 2.0, 0.0))}
    materials = tuple(
        Material(id=n.lower(), name=n, coats=(Coat(id="b", name="B", surface=s),)) for n, s in surfaces.items()
    )
    finishes = tuple(Finish(id=f"{m.id}_f", name=m.name, parent=m.id) for m in materials)
    props = tuple(
        Prop(id=m.id, name=m.name, mesh=asset.id, position=(i, 0, 0), finishes={asset.slots[0]: f"{m.id}_f"})
        for i, m in enumerate(materials)
    )
    lamps = (
        Lamp(id="a", name="Lantern", position=(1, 2, 3), color=(1.0, 0.5, 0.2), strength=7.0, reach=5.0),
        Lamp(id="b", name="Beam", position=(0, 3, 0), turn=turn_of(0.4, 0.3, -1.2), spot=True, inner=0.2, outer=0.5),
        Lamp(id="c", name="Hidden", visible=False),
    )
    light = Light(azimuth=0.5, elevation=0.7, strength=3.0)
    return Project(
        materials=materials, finishes=finishes, meshes=(asset,), props=props, lamps=lamps, light=light
    ), library  # fmt: skip


def test_another_library_reads_the_lights_and_materials_that_are_written(tmp_path: Path) -> None:
    project, library = glowing_project()
    path = tmp_path / "all.glb"
    export_glb(project, library, path, 16, Job())
    assert_valid_glb(path)
    read = node_script(READER, str(path))
    lights = {m["name"]: m for m in read["lights"]}
    assert set(lights) == {"Sun", "Lantern", "Beam"}
    for name, way in (("Sun", -np.array(project.light.direction())),
                      ("Beam", Rotation.from_quat(project.lamps["b"].turn).apply([0.0, -1.0, 0.0]))):  # fmt: skip
        matrix = np.array(lights[name]["matrix"]).reshape(4, 4).T
        assert -matrix[:3, 2] == pytest.approx(way, abs=1e-6)
    assert np.array(lights["Lantern"]["matrix"]).reshape(4, 4).T[:3, 3] == pytest.approx((1, 2, 3))
    assert (lights["Lantern"]["intensity"], lights["Lantern"]["range"]) == (7.0, 5.0)
    assert (lights["Beam"]["inner"], lights["Beam"]["outer"]) == pytest.approx((0.2, 0.5))
    assert read["looks"]["Felt"]["specular"] == pytest.approx(0.3, abs=1e-3)
    assert read["looks"]["Lamp"]["glow"] == pytest.approx(4.0, rel=1e-3)
    assert not read["looks"]["Lamp"]["textured"]
    back = {m.name: m for m in lamps_of(read_lights(path.read_bytes(), "all", None), Project(), (0, 0, 0))}
    for name, lamp in (("Lantern", project.lamps["a"]), ("Beam", project.lamps["b"])):
        got = back[name]
        assert (got.color, got.strength, got.reach, got.spot) == (lamp.color, lamp.strength, lamp.reach, lamp.spot)
        assert got.position == pytest.approx(lamp.position)
    chosen = tmp_path / "some.glb"
    export_glb(project, library, chosen, 16, Job(), [project.prop("felt")])
    assert b"KHR_lights_punctual" not in chosen.read_bytes()


def test_a_look_with_places_of_weaker_specular_is_written_as_a_map(tmp_path: Path) -> None:
    project, library = glowing_project()
    (felt, _) = project.materials
    dull = Coat(id="t", name="T", surface=Surface(specular=0.0), where=(SlopeTerm(id="s"),))
    project = project.with_(materials=(felt.with_(coats=(*felt.coats, dull)), project.materials[1]))
    path = tmp_path / "map.glb"
    export_glb(project, library, path, 32, Job())
    assert_valid_glb(path)
    found = node_script(READER, str(path))["looks"]["Felt"]
    assert found["textured"]
    assert found["specular"] == 1.0


@pytest.mark.parametrize("harm", [{"type": "areal"}, {"intensity": "x"}, {"color": [1]}, None, {"spot": []}])
def test_harm_in_a_files_lights_is_refused_by_name(harm, foreign: Path) -> None:
    data = foreign.read_bytes()
    length = int.from_bytes(data[12:16], "little")
    content = json.loads(data[20 : 20 + length])
    if harm is None:
        content["nodes"][-1]["extensions"]["KHR_lights_punctual"]["light"] = 9
    else:
        content["extensions"]["KHR_lights_punctual"]["lights"][1].update(harm)
    text = json.dumps(content).encode()
    text += b" " * (-len(text) % 4)
    total = len(data) - length + len(text)
    head = data[:8] + total.to_bytes(4, "little") + len(text).to_bytes(4, "little") + data[16:20]
    if harm == {"spot": []}:  # as good as none
        assert len(read_lights(head + text + data[20 + length :], "panel.glb", None)) == 3
        return
    with pytest.raises(BadMesh, match="panel.glb"):
        read_lights(head + text + data[20 + length :], "panel.glb", None)


def test_a_surface_without_specular_mirrors_nothing_in_the_picture(renderer) -> None:
    """KHR_materials_specular: f0 and f90 are scaled by the factor; at 0 a black surface is black in any light."""
    eye = ball_scene(renderer, color=(0.0, 0.0, 0.0), roughness=0.1)
    shiny = renderer.picture("ball", eye, 64, 64, stream="specular")[..., :3].copy()
    material = renderer.assets.material("test_ball")
    (coat,) = material.coats
    dull = material.with_(coats=(coat.with_(surface=coat.surface.with_(specular=0.0)),))
    renderer.assets.set_material(dull, NoMaps())
    renderer.scenes.set("ball", single("ball", shapes.ball(1.0, 96), dull, field_values(dull)))
    black = renderer.picture("ball", eye, 64, 64, stream="specular")[..., :3]
    assert shiny[20:44, 20:44].max() > 60
    assert black[20:44, 20:44].max() <= 1
