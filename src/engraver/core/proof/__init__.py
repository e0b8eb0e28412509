"""The proof: the plate pressed into a surface, lit and drawn.

Numba loads with ``kernels``; everything else here imports without it.
"""
