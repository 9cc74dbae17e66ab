"""Every edit of a project: pure functions from tree to tree, found by name.

The window, the command line and the tests all edit through these, by way of `Document.do`.
"""

from jade_coat.stage.edits import dials, groups, props, recipes  # their edits register themselves
from jade_coat.stage.edits.coats import new_coat
from jade_coat.stage.edits.recipes import link_value
from jade_coat.stage.edits.registry import EDITS, title

__all__ = ["EDITS", "dials", "groups", "link_value", "new_coat", "props", "recipes", "title"]
