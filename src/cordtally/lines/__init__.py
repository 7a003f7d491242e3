"""Files of lines: names and values, sections, password lines, aliases. One grammar, with a dialect for each reader."""

from .dialects import DIALECTS, Dialect
from .reading import Line, read_lines, read_value
from .writing import encode_value

__all__ = ["DIALECTS", "Dialect", "Line", "encode_value", "read_lines", "read_value"]
