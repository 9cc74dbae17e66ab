"""What water does to a surface that soaks it up."""

from __future__ import annotations

from dataclasses import replace

from jade_coat.material.layers import Layer
from jade_coat.program import Value, lib

WET_ROUGHNESS = 0.2
"""How rough what is soaked looks, whatever it is like when dry."""


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
