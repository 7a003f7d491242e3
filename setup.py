"""Puts the pages of the manual, docs/*.md, into the package that is built, where ``cordtally docs`` finds them."""

from pathlib import Path

from setuptools import setup
from setuptools.command.build_py import build_py


class BuildWithPages(build_py):
    def run(self):
        super().run()
        if self.editable_mode:
            return  # the command finds them beside the source
        folder = Path(self.build_lib, "cordtally", "docs")
        self.mkpath(str(folder))
        for page in sorted(Path("docs").glob("*.md")):
            self.copy_file(str(page), str(folder / page.name))


setup(cmdclass={"build_py": BuildWithPages})
