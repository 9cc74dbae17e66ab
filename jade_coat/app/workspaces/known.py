"""All workspaces, in the order people work."""

from jade_coat.app.brush.workspace import Brush
from jade_coat.app.build.workspace import Build
from jade_coat.app.ground.workspace import Ground
from jade_coat.app.stage.workspace import Stage
from jade_coat.app.workspaces.planned import Check, Deliver
from jade_coat.app.workspaces.workspace import Workspace

WORKSPACES: tuple[type[Workspace], ...] = (Build, Brush, Ground, Stage, Check, Deliver)
