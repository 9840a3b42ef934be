"""Light at one surface point: Fresnel, microfacets, diffuse, media, colour and the surface that joins them.

Functions are Numba kernels over float32 scalars and float32 triples (x, y, z), in a local frame whose z axis is the
shading normal, unless they say otherwise.
"""
