"""Makers of meshes from numbers: one record each, which stays with the mesh it made."""

from __future__ import annotations

from typing import Annotated, get_args

from pydantic import Field

from jade_coat.mesh.makers.bush import Bush
from jade_coat.mesh.makers.card import Card
from jade_coat.mesh.makers.card_field import CardField
from jade_coat.mesh.makers.made import Made

AnyMade = Annotated[Bush | Card | CardField, Field(discriminator="kind")]
MAKERS: dict[str, type[Made]] = {kind.model_fields["kind"].default: kind for kind in get_args(get_args(AnyMade)[0])}
"""All kinds of makers by the name that files use."""

__all__ = ["MAKERS", "AnyMade", "Bush", "Card", "CardField", "Made"]
