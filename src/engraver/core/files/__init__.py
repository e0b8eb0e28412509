"""Pictures in and out: bytes to rasters, arrays to bytes, and safe writing."""
