"""The HTTP interface: parse, call one function, return."""
