"""Ground of the kernels: compilation and cache, vectors, hashed noise, low-discrepancy sampling."""
