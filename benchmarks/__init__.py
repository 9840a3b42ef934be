"""Speed, as ratios to a reference library measured in the same run: absolute times depend on the machine."""

from benchmarks.calibration import calibration
from benchmarks.caustic import caustic
from benchmarks.cluster import cluster
from benchmarks.edits import edit_to_picture, interface
from benchmarks.exchange import exchange
from benchmarks.fills import fills
from benchmarks.finish import finish
from benchmarks.hand_over import hand_over
from benchmarks.large_model import large_model
from benchmarks.library_frames import library_frames
from benchmarks.library_search import search
from benchmarks.lights import lights
from benchmarks.paths import paths_per_second
from benchmarks.pattern_speed import marks, patterns
from benchmarks.start import rest
from benchmarks.surfaces import surfaces
from benchmarks.threads import threads
from benchmarks.volumes import media
from mat_shelf.system.processors import usable_processors


def run_all(say=lambda text: None) -> dict:
    """Runs every bench. See `paths_per_second`, `media`, `edit_to_picture`, `interface`, `patterns`, `marks`,
    `surfaces`, `lights`, `caustic`, `fills`, `finish`, `cluster`, `hand_over`, `exchange`, `threads`, `large_model`,
    `search`, `library_frames` and `rest`.
    """
    result = {"cores": usable_processors(), "calibration": calibration(say), **rest(say)}
    result["search_ms"] = search(say)
    result["library"] = library_frames(say)
    result["edit_to_picture"] = edit_to_picture(say)
    result["interface"] = interface(say)
    result["patterns"] = patterns(say)
    result["marks"] = marks(say)
    result["surfaces"] = surfaces(say)
    moved = {key[6:]: value for key, value in result["interface"].items() if key.startswith("light_")}
    result["lights"] = lights(say) | {f"move_{key}": value for key, value in moved.items()}
    result["caustic"] = caustic(say)
    result["fills"] = fills(say)
    result["finish"] = finish(say)
    result["cluster"] = cluster(say)
    result["hand_over"] = hand_over(say)
    result["exchange"] = exchange(say)
    result["threads"] = threads(say)
    result["large_model"] = large_model(say, result["edit_to_picture"]["median_ms"])
    return result | media(say) | paths_per_second(say)
