"""Solved cases answered by Tartan and held against their expected figures."""

from tartan.exchange.verify.cases import Case, Report, load_cases, verify

__all__ = ["Case", "Report", "load_cases", "verify"]
