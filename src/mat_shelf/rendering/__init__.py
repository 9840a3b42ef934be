"""Pictures: an Embree scene, wavefront passes over large batches of paths, lights, camera, film and denoising.

Luminance 1.0 inside the renderer is 1000 cd/m2. Lengths are millimetres, y is up.
"""
