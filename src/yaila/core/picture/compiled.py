"""How loops over pixels are compiled."""

from __future__ import annotations

from numba.core.compiler import Compiler


class Apart(Compiler):
    """Compiles a function whose array arguments never overlap, so that its loops can become vector code."""

    def define_pipelines(self):
        self.state.flags.noalias = True
        return super().define_pipelines()
