"""Vast Watch: where a person is noticed and how soon, where they are left in the dark, and why."""

import os

# Before any array is made. The matrices here are small: further threads of the linear algebra would wait for each other
# in a loop, on the processor that another part of the program is to have. Anybody who sets it otherwise has it so.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
