"""How reading a damaged file ends in the libraries that read it."""

from __future__ import annotations

import struct
import zipfile
import zlib

# Of a zip, by where the damage lies.
ZIP_TROUBLE = (
    zipfile.BadZipFile, zipfile.LargeZipFile, zlib.error, NotImplementedError, RuntimeError, ValueError, OSError,
    EOFError, struct.error,
)  # fmt: skip
