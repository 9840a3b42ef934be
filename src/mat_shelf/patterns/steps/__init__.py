"""Steps of patterns. A step that is listed here is a choice in the window."""

from mat_shelf.patterns.steps.combine import Combine
from mat_shelf.patterns.steps.neighbourhood import Sharpen, Soften, Steepness, Warp
from mat_shelf.patterns.steps.point_operations import (
    Contrast,
    Curve,
    Invert,
    Levels,
    Lines,
    Quantise,
    Ramp,
    Threshold,
    Tint,
)

STEPS = (
    Levels,
    Curve,
    Ramp,
    Invert,
    Contrast,
    Tint,
    Threshold,
    Quantise,
    Lines,
    Combine,
    Warp,
    Soften,
    Sharpen,
    Steepness,
)
"""In the order in which they are offered."""
