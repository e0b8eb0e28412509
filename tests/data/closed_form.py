"""Makes closed_form.json: the matte of a published library on the tests' own subjects and marks.

pymatting 1.1.16, estimate_alpha_cf (A. Levin, D. Lischinski and Y. Weiss, "A Closed-Form
Solution to Natural Image Matting", PAMI 30, 2008), given exactly the marks of the test.
Run by hand: ``python tests/data/closed_form.py``; it takes a minute or two.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np
import pymatting

sys.path.insert(0, str(Path(__file__).parent.parent))

from test_isolate import MARKS, SEEDS, SIDE, marked, subject

found = {}
for seed in SEEDS:
    picture, truth = subject(SIDE, seed)
    trimap = np.full((SIDE, SIDE), 0.5)
    trimap[marked("keep", SIDE)], trimap[marked("remove", SIDE)] = 1.0, 0.0
    alpha = pymatting.estimate_alpha_cf(picture.astype(np.float64), trimap)
    found[str(seed)] = float(np.square(alpha - truth).mean())
version = pymatting.__version__
result = {"library": f"pymatting {version}", "side": SIDE, "strokes": len(MARKS), "mean squared error": found}
(Path(__file__).parent / "closed_form.json").write_text(json.dumps(result, indent=1) + "\n")
print(result)
