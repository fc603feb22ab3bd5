"""Builds what is compiled: the simulated bench's equations of motion. The rest is pyproject.toml.

Without Cython or a C compiler the program is installed all the same, and simulates slowly.
"""

from setuptools import Extension, setup

MOTION = "src/sparring/core/plant/motion.py"

try:
    from Cython.Build import cythonize
except ImportError:
    extensions = []
else:
    extension = Extension(
        "sparring.core.plant.motion", [MOTION], optional=True, extra_compile_args=["-O2", "-g0"]
    )
    directives = {"boundscheck": False, "wraparound": False, "cdivision": True}
    extensions = cythonize([extension], build_dir="build", compiler_directives=directives)

setup(ext_modules=extensions)
