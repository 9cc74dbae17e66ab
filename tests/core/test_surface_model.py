"""The whole surface model against MaterialX's own glTF-PBR shading, on the same ball in the same light."""

from __future__ import annotations

import MaterialX
import numpy as np
import pytest
from MaterialX import PyMaterialXGenGlsl, PyMaterialXGenShader

from jade_coat.mesh import shapes
from jade_coat.view.environment import DARK
from tests.core.test_light import ball_scene, radiance

SUN, STRENGTH, SIZE = np.array([0.48, 0.62, 0.62]), 2.6, 128


def standard_shader(
    color: tuple[float, float, float], roughness: float, metallic: float, once: bool
) -> tuple[str, str]:
    """The vertex and pixel text that MaterialX generates for its node `gltf_pbr` and one directional light.

    With `once` light is reflected once by the facets, as glTF's Appendix B has it; MaterialX adds what is reflected
    again (Turquin 2019), which is not the same both ways.
    """
    library, document = MaterialX.createDocument(), MaterialX.createDocument()
    MaterialX.loadLibraries(MaterialX.getDefaultDataLibraryFolders(), MaterialX.getDefaultDataSearchPath(), library)
    document.importLibrary(library)
    node = document.addNode("gltf_pbr", "surface", "surfaceshader")
    for name, kind, value in (
        ("base_color", "color3", MaterialX.Color3(*color)), ("roughness", "float", roughness), ("metallic", "float", metallic),
    ):  # fmt: skip
        node.addInput(name, kind).setValue(value)
    generator = PyMaterialXGenGlsl.GlslShaderGenerator.create()
    context = PyMaterialXGenShader.GenContext(generator)
    context.registerSourceCodeSearchPath(MaterialX.getDefaultDataSearchPath())
    options = context.getOptions()
    options.hwSpecularEnvironmentMethod = PyMaterialXGenShader.HwSpecularEnvironmentMethod.SPECULAR_ENVIRONMENT_NONE
    options.hwMaxActiveLightSources, options.hwSrgbEncodeOutput = 1, False
    PyMaterialXGenShader.HwShaderGenerator.bindLightShader(document.getNodeDef("ND_directional_light"), 1, context)
    made = generator.generate("standard", node, context)
    # Without a sky the generator leaves out what the code of its transmission, which is 0 here, still names.
    version, rest = made.getSourceCode("pixel").split("\n", 1)
    if once:
        named = "vec3 mx_ggx_energy_compensation("
        assert rest.count(named) == 1
        rest = rest.replace(
            named, "vec3 mx_ggx_energy_compensation(float a, float b, vec3 c) { return vec3(1.0); }\nvec3 unused("
        )
    return made.getSourceCode("vertex"), f"{version}\nconst bool u_refractionTwoSided = false;\n{rest}"


def standard_ball(gl, eye, sources: tuple[str, str]) -> np.ndarray:
    """The ball in linear light `(SIZE, SIZE, 4)`, top row first; alpha is 0 where there is none."""
    program = gl.program(vertex_shader=sources[0], fragment_shader=sources[1])

    def put(name: str, value) -> None:
        if name in program:
            program[name].value = value

    put("u_viewPosition", tuple(float(v) for v in eye.position))
    program["u_viewProjectionMatrix"].write((eye.projection @ eye.view).T.astype("f4").tobytes())
    put("u_numActiveLightSources", 1)
    put("u_lightData[0].type", 1)
    put("u_lightData[0].direction", tuple(float(-v) for v in SUN / np.linalg.norm(SUN)))
    put("u_lightData[0].color", (1.0, 1.0, 1.0))
    put("u_lightData[0].intensity", STRENGTH)
    mesh = shapes.ball(1.0, 96)
    streams = {"i_position": mesh.positions, "i_normal": mesh.normals, "i_tangent": mesh.tangents[:, :3]}
    used = [
        (gl.buffer(np.ascontiguousarray(v, np.float32).tobytes()), "3f", n) for n, v in streams.items() if n in program
    ]
    target = gl.texture((SIZE, SIZE), 4, dtype="f4")
    buffer = gl.framebuffer([target], gl.depth_renderbuffer((SIZE, SIZE)))
    buffer.use()
    buffer.clear(0, 0, 0, 0, depth=1.0)
    gl.enable_only(gl.DEPTH_TEST)
    gl.vertex_array(program, used, gl.buffer(mesh.triangles.astype(np.uint32).tobytes())).render()
    return np.frombuffer(target.read(), np.float32).reshape(SIZE, SIZE, 4)[::-1]


CASES = [
    (once, tone, roughness, metallic)
    for once in (False, True) for tone in (0.18, 0.6) for roughness in (0.25, 0.5, 1.0) for metallic in (0.0, 1.0)
    if once or roughness < 1 or not metallic  # what such a metal reflects more than once is not part of glTF's model
]  # fmt: skip


@pytest.mark.parametrize(("once", "tone", "roughness", "metallic"), CASES)
def test_a_ball_looks_as_the_standards_own_shading_makes_it(renderer, gl, once, tone, roughness, metallic) -> None:
    """Mean absolute difference in linear light of 0.02 at most. Highlights are cut at 1.4, where the tone map of our
    picture still tells values apart. A metal as rough as can be loses what MaterialX adds: see `standard_shader`."""
    renderer.set_light(tuple(SUN / np.linalg.norm(SUN)), STRENGTH, DARK)
    eye = ball_scene(renderer, (tone,) * 3, roughness, metallic)
    ours = radiance(renderer, "ball", eye, SIZE)
    theirs = standard_ball(gl, eye, standard_shader((tone,) * 3, roughness, metallic, once))
    inside = theirs[..., 3] > 0
    y, x = np.mgrid[0:SIZE, 0:SIZE]
    middle = np.hypot(x - x[inside].mean(), y - y[inside].mean())
    inside &= middle < middle[inside].max() - 2  # our picture's edge is mixed with what is behind
    difference = np.abs(np.minimum(ours, 1.4) - np.minimum(theirs[..., 0], 1.4))[inside]
    assert theirs[..., 0][inside].max() > 0.05
    assert difference.mean() <= 0.02, difference.mean()
    renderer.set_light((0.48, 0.62, 0.62), 2.6)
