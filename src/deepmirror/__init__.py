"""Deep Mirror: measures, judges and answers films of leg training against the client's own body."""

__version__ = "0.1.0"
