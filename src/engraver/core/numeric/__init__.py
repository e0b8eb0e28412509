"""Pure array functions: float32 in, float32 out, the border rule always explicit.

Import the module you need (``from engraver.core.numeric import blur``); this
package imports none of them, so that SciPy and Numba load only where used.
"""
