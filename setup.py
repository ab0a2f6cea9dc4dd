"""Puts the built pages into the package; all else is in pyproject.toml."""

from __future__ import annotations

import shutil
import sys
from pathlib import Path

from setuptools import setup
from setuptools.command.build_py import build_py

HERE = Path(__file__).parent


class WithPages(build_py):
    def run(self) -> None:
        # What an earlier build left there may be gone from the sources.
        shutil.rmtree(self.build_lib, ignore_errors=True)
        super().run()
        sys.path.insert(0, str(HERE / "src"))
        from umbrak.cli.provision import need_front_end

        shutil.copytree(need_front_end(), Path(self.build_lib) / "umbrak" / "pages", dirs_exist_ok=True)


setup(cmdclass={"build_py": WithPages})
