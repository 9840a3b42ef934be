"""The picture and the number of rounds that several benchmarks share."""

WIDTH, HEIGHT, DEPTH = 640, 430, 8
SAMPLES = 8
ROUNDS = 5
