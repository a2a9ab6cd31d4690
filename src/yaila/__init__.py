"""Yaila: camera choreography over layered map imagery."""

__version__ = "0.1.0"
