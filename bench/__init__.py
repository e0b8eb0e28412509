"""The figures of the product, measured: ``./dev bench [NAME...] [--json FILE]``."""
