"""The processes that decode files of any origin, started before the first file is there."""

from mat_shelf.system.bounded import prepare


def prepare_readers() -> None:
    """Start them with what most files need. They end with the program."""
    prepare("mat_shelf.exchange.image_decoding", "mat_shelf.exchange.models.glb_reader")
