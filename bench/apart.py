"""A piece of work in a process of its own, with the most memory it held."""

from __future__ import annotations

import os
import subprocess
import sys

from engraver.core.process import ALGEBRA_THREADS

# The high-water mark of the child's own memory; the usual account of children would count this process too.
_PEAK = """
print()
print(next(line for line in open("/proc/self/status") if line.startswith("VmHWM:")).split()[1])
"""

# What a process of the program begins with.
_PREPARED = """
from engraver.core.process import prepare
prepare()
"""

MAKE = """
import sys, time
import engraver.cli.make as make
from engraver.core.engine import Engine

evaluate = Engine.evaluate
def timed(*words, **more):
    start = time.perf_counter()
    result = evaluate(*words, **more)
    print(time.perf_counter() - start)
    return result
Engine.evaluate = timed
make.make(sys.argv[1:], standalone_mode=False)
"""


# As anybody would run it, with nothing that the program does for its own processes.
PLAIN = """
import sys
import numpy as np
from bench.core import plain_timed
found, took = plain_timed(int(sys.argv[1]))
np.save(sys.argv[2], found)
print(took)
"""


def apart(code: str, *words: str, prepared: bool = True) -> tuple[str, float]:
    """What Python ``code`` printed, and its peak memory in gigabytes; ``prepared`` as the program's own processes."""
    own = {name: value for name, value in os.environ.items() if name not in ALGEBRA_THREADS}
    code = (_PREPARED if prepared else "") + code + _PEAK
    done = subprocess.run([sys.executable, "-c", code, *words], check=True, capture_output=True, text=True, env=own)
    told, _, peak = done.stdout.rstrip().rpartition("\n")
    return told, int(peak) / 1e6
