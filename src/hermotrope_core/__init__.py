"""The heart of Hermotrope: what a conversion is, what it does, and whether it may be built.

Pure Python without Django, network or clock. Read the modules in the order of
``docs/architecture.md``; each imports only those above it.
"""
