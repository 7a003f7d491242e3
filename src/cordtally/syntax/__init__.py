"""Files as trees of values with their places, and edits that leave every other byte as it was.

Formats with a grammar are read through tree-sitter, files of lines by their reader's dialect; neither runs anything.
"""

from .files import Tree, format_of, open_tree, parse_text
from .folders import walk, walk_names
from .languages import comment_sign, language_facts
from .nodes import Host, Node, Number, Slot, inside, slots
from .source import Source, Splice, settle, write_whole

__all__ = [
    "Host",
    "Node",
    "Number",
    "Slot",
    "Source",
    "Splice",
    "Tree",
    "comment_sign",
    "format_of",
    "inside",
    "language_facts",
    "open_tree",
    "parse_text",
    "settle",
    "slots",
    "walk",
    "walk_names",
    "write_whole",
]
