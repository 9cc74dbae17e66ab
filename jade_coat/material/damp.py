"""What water does to a surface: it soaks in, and where there is more of it, it stands."""

from __future__ import annotations

from dataclasses import replace

from jade_coat.material.layers import Layer
from jade_coat.program import Value, const, lib

WET_ROUGHNESS = 0.2
"""How rough what is soaked looks, whatever it is like when dry."""
WATER_ROUGHNESS, WATER_SPECULAR = 0.04, 0.5
"""Of standing water: its F0 is 0.02 (refractive index 1.33), half of that of most surfaces."""
SHORE = 0.06
"""Over which depth, in heights of the surface, water begins to show."""


def soaked(layer: Layer, damp: Value) -> Layer:
    """A surface that is damp by 0–1: darker and greyer where it is porous, and smoother.

    Darker because light is held back by the film of water and scatters on within (Lekner & Dorf 1988, DOI
    10.1364/AO.27.001278); how much by how porous the surface is, which its roughness tells, and how smooth it gets, as
    Lagarde (2013, Water drop 3b, from memory) draws it. Metal does not soak.
    """
    porous = lib.clamp((layer.roughness - 0.5) / 0.4)
    held = damp * porous * (1.0 - layer.metallic)
    grey = lib.luminance(layer.base_color)
    dull = lib.clamp(lib.lerp(grey, layer.base_color, 1.0 - 0.2 * held))
    color = dull * lib.lerp(1.0, 0.32, held)
    rough = lib.lerp(layer.roughness, lib.minimum(layer.roughness, WET_ROUGHNESS), damp * lib.lerp(0.9, 0.55, porous))
    return replace(layer, base_color=color, roughness=rough)


def standing(damp: Value, stands: Value, height: Value) -> Value:
    """How deep water stands over a surface of some height (0–1), in heights; below 0 where there is none.

    From `stands` on it rises, over low places first, until at 1 it covers all.
    """
    level = lib.clamp((damp - stands) / lib.maximum(1.0 - stands, 1e-3))
    return level * (1.0 + SHORE) - height - (1.0 - lib.clamp(level * 50.0))


CALM = const(0.0, 0.0, 1.0)
"""The normal of water that nothing stirs."""


def flooded(layer: Layer, depth: Value, water: Value, murk: Value) -> tuple[Layer, Value]:
    """A surface under calm water that stands `depth` over it, and how much of a puddle there is, 0–1.

    Shallow water is clear; with depth its own colour comes in, the sooner the more `murk` (Beer and Lambert's law).
    """
    there = lib.smoothstep(0.0, SHORE, depth)
    cloudy = 1.0 - lib.unary("exp", lib.maximum(depth, 0.0) * murk * -6.0)
    seen = lib.lerp(layer.base_color, water, cloudy)
    made = replace(
        layer,
        base_color=lib.lerp(layer.base_color, seen, there),
        normal=lib.normalize(lib.lerp(layer.normal, CALM, there)),
        roughness=lib.lerp(layer.roughness, WATER_ROUGHNESS, there),
        metallic=layer.metallic * (1.0 - there),
        specular=lib.lerp(layer.specular, WATER_SPECULAR, there),
        occlusion=lib.lerp(layer.occlusion, 1.0, there),
        height=lib.maximum(layer.height, layer.height + lib.maximum(depth, 0.0)),
    )
    return made, there
