"""The one writer of files: crashes at every step, disks that refuse, and what others do to the file meanwhile."""

import errno
import os
import stat

import numpy as np
import pytest
from PIL import Image

from mat_shelf.exchange import image_writing
from mat_shelf.exchange.image_form import Form
from mat_shelf.system import file_writer
from mat_shelf.system.file_writer import ChangedElsewhereError, WriteError, stamp_of, write_file

OLDER, OLD, NEW = b"the save before", b"the last save" * 1000, b"what is being saved" * 3000


class Protocol:
    """Passes calls on to the system and notes those that change a disk."""

    def __init__(self):
        self.steps: list[tuple] = []
        self._names: dict[int, str] = {}

    def __getattr__(self, name):
        return getattr(os, name)

    def open(self, path, flags, *mode):
        handle = os.open(path, flags, *mode)
        self._names[handle] = str(path)
        if flags & os.O_CREAT:
            self.steps.append(("create", str(path)))
        return handle

    def write(self, handle, data):
        done = os.write(handle, data[: len(data) // 2 + 1])  # a short write, as systems may do
        self.steps.append(("write", self._names[handle], bytes(data[:done])))
        return done

    def fsync(self, handle):
        os.fsync(handle)
        name = self._names[handle]
        self.steps.append(("sync folder" if os.path.isdir(name) else "sync", name))

    def link(self, source, target):
        os.link(source, target)
        self.steps.append(("link", str(source), str(target)))

    def replace(self, source, target):
        os.replace(source, target)
        self.steps.append(("rename", str(source), str(target)))

    def unlink(self, path):
        os.unlink(path)
        self.steps.append(("unlink", str(path)))


def disks_after(steps, start: dict[str, bytes]):
    """Every disk that a crash may leave: names change in their order, each or not yet; what was not synced is lost."""
    for count in range(len(steps) + 1):
        done = steps[:count]
        folder_synced = max((k + 1 for k, step in enumerate(done) if step[0] == "sync folder"), default=0)
        for kept in range(folder_synced, count + 1):
            yield _disk(done, kept, start)


def _disk(done, kept: int, start: dict[str, bytes]) -> dict[str, bytes]:
    names = {name: number for number, name in enumerate(start)}
    durable = dict(enumerate(start.values()))
    volatile, own = {}, dict(names)
    for place, step in enumerate(done):
        lasting = place < kept
        if step[0] == "create":
            own[step[1]] = len(durable)
            durable[own[step[1]]], volatile[own[step[1]]] = b"", b""
            names |= {step[1]: own[step[1]]} if lasting else {}
        elif step[0] == "write":
            volatile[own[step[1]]] += step[2]
        elif step[0] == "sync":
            durable[own[step[1]]] = volatile[own[step[1]]]
        elif step[0] in ("link", "rename"):
            own[step[2]] = own[step[1]]
            if lasting:
                names[step[2]] = names[step[1]]
            if step[0] == "rename":
                own.pop(step[1])
                names.pop(step[1], None) if lasting else None
        elif step[0] == "unlink":
            own.pop(step[1], None)
            names.pop(step[1], None) if lasting else None
    return {name: durable[number] for name, number in names.items()}


@pytest.mark.parametrize("has_links", [True, False])
def test_a_crash_at_any_step_leaves_the_old_file_or_the_new_one(has_links, tmp_path, monkeypatch):
    path = tmp_path / "desk.matshelf"
    path.write_bytes(OLD)
    previous = tmp_path / "desk.matshelf~"
    previous.write_bytes(OLDER)
    protocol = Protocol()
    if not has_links:
        protocol.link = lambda *_: (_ for _ in ()).throw(PermissionError(errno.EPERM, "Operation not permitted"))
    monkeypatch.setattr(file_writer, "os", protocol)
    write_file(path, NEW, keep_previous=True)
    assert path.read_bytes() == NEW and previous.read_bytes() == OLD
    start = {str(path): OLD, str(previous): OLDER}
    count = 0
    for disk in disks_after(protocol.steps, start):
        count += 1
        assert disk[str(path)] in (OLD, NEW)
        assert disk[str(previous)] in (OLDER, OLD)
        if disk[str(path)] == NEW:
            assert disk[str(previous)] == OLD
    assert count > 20
    assert _disk(protocol.steps, len(protocol.steps), start)[str(path)] == NEW
    assert sorted(os.listdir(tmp_path)) == ["desk.matshelf", "desk.matshelf~"]


def full_after(count: int):
    """A disk that has room for so many bytes."""
    to_disk = os.write

    def write(handle, data):
        nonlocal count
        if count <= 0:
            raise OSError(errno.ENOSPC, "No space left on device")
        done = to_disk(handle, data[:count])
        count -= done
        return done

    return write


@pytest.mark.parametrize("room", [0, 700])
@pytest.mark.parametrize("ending", [".png", ".tiff", ".jpg", ".exr"])
def test_pictures_that_do_not_fit_leave_the_old_ones(ending, room, tmp_path, monkeypatch):
    light = np.random.default_rng(1).random((64, 64, 3), np.float32)
    path = tmp_path / f"render{ending}"
    image_writing.write_image(path, light)
    whole = path.read_bytes()
    for write in (
        lambda: image_writing.write_image(path, 0.5 * light),
        lambda: image_writing.write_pixels(path, (255 * light).astype(np.uint8)),
    ):
        monkeypatch.setattr(file_writer.os, "write", full_after(room))
        with pytest.raises(WriteError, match="the disk is full; free some space"):
            write()
        monkeypatch.undo()
        assert path.read_bytes() == whole and os.listdir(tmp_path) == [path.name]


def test_a_deep_picture_that_does_not_fit_leaves_the_old_one(tmp_path, monkeypatch):
    path = tmp_path / "render.png"
    path.write_bytes(OLD)
    monkeypatch.setattr(file_writer.os, "write", full_after(100))
    with pytest.raises(WriteError, match="disk is full"):
        image_writing.write_image(path, np.ones((32, 32, 3), np.float32), form=Form(16))
    assert path.read_bytes() == OLD


@pytest.mark.parametrize(
    ("number", "words"),
    [
        (errno.EACCES, "change its permissions"),
        (errno.EROFS, "can only be read"),
        (errno.EIO, "reports a fault"),
        (errno.EDQUOT, "your share of the disk"),
    ],
)
def test_the_reason_is_the_real_one(number, words, tmp_path, monkeypatch):
    def refuse(*_):
        raise OSError(number, "refused")

    monkeypatch.setattr(file_writer.os, "replace", refuse)
    with pytest.raises(WriteError, match=words) as told:
        write_file(tmp_path / "kept.txt", NEW)
    assert ("free some space" in str(told.value)) == (number == errno.EDQUOT)
    assert os.listdir(tmp_path) == []


def test_links_are_followed_modes_are_kept_and_names_may_be_long(tmp_path):
    real = tmp_path / "real.matshelf"
    real.write_bytes(OLD)
    real.chmod(0o640)
    link = tmp_path / "link.matshelf"
    link.symlink_to(real)
    write_file(link, NEW)
    assert link.is_symlink() and real.read_bytes() == NEW
    assert stat.S_IMODE(real.stat().st_mode) == 0o640
    long = tmp_path / ("n" * 254)
    write_file(long, NEW)
    write_file(long, OLD, keep_previous=True)
    assert long.read_bytes() == OLD and long.with_name("n" * 254 + "~").read_bytes() == NEW
    os.mkfifo(tmp_path / "pipe")
    with pytest.raises(WriteError, match="no ordinary file"):
        write_file(tmp_path / "pipe", NEW)
    with pytest.raises(WriteError, match="is a folder"):
        write_file(tmp_path, NEW)


def test_a_change_by_another_program_is_not_written_over(tmp_path):
    path = tmp_path / "desk.matshelf"
    first = write_file(path, OLD)
    second = write_file(path, NEW, expected=first)
    assert second == stamp_of(path) != first
    path.write_bytes(b"of another program")
    with pytest.raises(ChangedElsewhereError, match="changed by another program"):
        write_file(path, NEW, expected=second)
    assert path.read_bytes() == b"of another program"
    path.unlink()
    write_file(path, NEW, expected=second)  # nothing is lost where nothing is


def test_encoded_pictures_are_read_by_others(tmp_path):
    """Pillow reads what went through memory to the disk."""
    pixels = np.random.default_rng(2).integers(0, 65536, (20, 30), dtype=np.uint16)
    image_writing.write_pixels(tmp_path / "deep.png", pixels)
    assert np.array_equal(np.asarray(Image.open(tmp_path / "deep.png")), pixels)
    assert image_writing.png_bytes(pixels) == (tmp_path / "deep.png").read_bytes()
