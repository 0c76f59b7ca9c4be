"""Fitting a logged run: what the readings say about the pack and the load, and what they cannot say."""

from hermotrope_core.fit.apply import fitted, shares_of_runtime
from hermotrope_core.fit.compare import Compared, compare
from hermotrope_core.fit.result import Fit, Found, Parting
from hermotrope_core.fit.search import fit

__all__ = ["Compared", "Fit", "Found", "Parting", "compare", "fit", "fitted", "shares_of_runtime"]
