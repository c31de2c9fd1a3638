"""Deep Mirror: measures, judges and answers films of leg training against the client's own body."""

import os

# Our matrices are small: more BLAS threads only spin against one another and against the networks' own threads.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
