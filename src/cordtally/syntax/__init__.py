"""Files as trees of values with their places, and edits that leave every other byte as it was.

Formats with a grammar are read through tree-sitter, files of lines by their reader's dialect; neither runs anything.
"""

from .files import Tree, format_of, open_tree, parse_text
from .folders import walk
from .nodes import Host, Node, Slot, inside, slots
from .source import Source, Splice

__all__ = [
    "Host",
    "Node",
    "Slot",
    "Source",
    "Splice",
    "Tree",
    "format_of",
    "inside",
    "open_tree",
    "parse_text",
    "slots",
    "walk",
]
