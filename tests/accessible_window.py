"""The window as assistive technology sees it: run as a program under D-Bus and a display, it prints a tree as JSON.

It opens the window with a small project, goes to each station, and walks the tree that the toolkit offers there by
AT-SPI, over the bus that screen readers use. At last it sets the roughness to the middle of its slider, over that bus.
"""

import json
import os
import subprocess
import sys
import time

ROOT = "/org/a11y/atspi/accessible/root"
ACCESSIBLE, VALUE = "org.a11y.atspi.Accessible", "org.a11y.atspi.Value"


STATIONS = ("Product", "Marks", "Fill", "Set", "Hand over", "Materials")
ROUGHNESS = "Specular roughness"


def show() -> None:
    """Opens the window and runs it until it is ended; goes to the stations that come in by name."""
    from PyQt6.QtCore import QSocketNotifier, QTimer
    from PyQt6.QtWidgets import QApplication

    from mat_shelf.app.library.thumbnail_worker import ThumbnailWorker
    from mat_shelf.app.theme import apply_theme
    from mat_shelf.app.window import Window
    from mat_shelf.app.workshop import Workshop
    from mat_shelf.document.material import Material
    from mat_shelf.document.product import Part, Product
    from mat_shelf.document.recipe import Recipe
    from mat_shelf.exchange.assets import Assets
    from mat_shelf.exchange.models.mesh_glb import NamedMesh
    from mat_shelf.exchange.product_import import new_project
    from mat_shelf.geometry.solids import box
    from mat_shelf.library.library import Library

    app = QApplication(["mat-shelf"])
    app.setApplicationName("mat-shelf")
    apply_theme(app)
    assets = Assets()
    block = Part(id="block", name="Block", mesh=assets.add(NamedMesh("block", box((60, 40, 30), 3))), material="red")
    red = Material(id="red", name="Red", recipe=Recipe(base_color=(0.5, 0.05, 0.05), specular_roughness=0.31))
    project = new_project(Product(name="Block", parts=(block,)), (red,), (60.0, 40.0, 30.0))
    ThumbnailWorker.want = lambda *arguments: None  # pictures are not told of
    window = Window(Workshop(project, assets, Library()))
    window.wall._worker.pause(True)
    window.show()
    window.workshop.select("block")

    def go() -> None:
        wanted = sys.stdin.readline().strip()
        next(b for b in window.stations.buttons() if b.text() == wanted).click()
        QTimer.singleShot(300, lambda: print("shown", flush=True))

    notifier = QSocketNotifier(sys.stdin.fileno(), QSocketNotifier.Type.Read)
    notifier.activated.connect(go)

    def say() -> None:
        print(f"roughness {window.workshop.project.material('red').recipe.specular_roughness}", flush=True)

    window.workshop.project_changed.connect(say)
    app.exec()


class Bus:
    """The bus of assistive technology."""

    def __init__(self):
        from jeepney import DBusAddress, new_method_call
        from jeepney.io.blocking import open_dbus_connection

        self._address, self._call = DBusAddress, new_method_call
        session = open_dbus_connection("SESSION")
        found = self._ask(session, "org.a11y.Bus", "/org/a11y/bus", "org.a11y.Bus", "GetAddress")
        self._bus = open_dbus_connection(found[0])

    def _ask(self, bus, name, path, interface, method, signature=None, body=()):
        message = self._call(self._address(path, name, interface), method, signature, body)
        return bus.send_and_get_reply(message, timeout=20).body

    def ask(self, at, interface, method, signature=None, body=()):
        return self._ask(self._bus, *at, interface, method, signature, body)

    def property(self, at, interface, name):
        found = self.ask(at, "org.freedesktop.DBus.Properties", "Get", "ss", (interface, name))
        return found[0][1]

    def children(self, at):
        return [tuple(child) for child in self.ask(at, ACCESSIBLE, "GetChildren")[0]]

    def walk(self, at, depth=0) -> dict:
        """What stands at a place and, where that shows, all below it."""
        interfaces = self.ask(at, ACCESSIBLE, "GetInterfaces")[0]
        low, high = self.ask(at, ACCESSIBLE, "GetState")[0]
        states = low | high << 32
        node = {
            "name": self.property(at, ACCESSIBLE, "Name"),
            "role": self.ask(at, ACCESSIBLE, "GetRoleName")[0],
            "focusable": bool(states >> 11 & 1),
            "showing": bool(states >> 25 & 1),
        }
        if VALUE in interfaces:
            node["value"] = self.property(at, VALUE, "CurrentValue")
            node["most"] = self.property(at, VALUE, "MaximumValue")
        if depth < 40 and (node["showing"] or depth < 2):
            found = (child for child in self.children(at) if child[1] != "/org/a11y/atspi/null")
            node["children"] = [self.walk(child, depth + 1) for child in found]
        node["at"] = at
        return node


def flat(node: dict):
    """A node and all below it."""
    yield node
    for child in node.get("children", ()):
        yield from flat(child)


def main() -> None:
    environment = os.environ | {"QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1", "QT_ACCESSIBILITY": "1"}
    shown = subprocess.Popen(
        [sys.executable, __file__, "--show"],
        env=environment,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
        bufsize=1,
    )
    try:
        bus, trees = Bus(), {}
        for station in STATIONS:
            shown.stdin.write(f"{station}\n")
            assert shown.stdout.readline() == "shown\n"
            trees[station] = _tree(bus)
        slider = next(n for n in flat(trees["Materials"]) if n["role"] == "slider" and n["name"].startswith(ROUGHNESS))
        body = (VALUE, "CurrentValue", ("d", slider["most"] / 2))
        bus.ask(slider["at"], "org.freedesktop.DBus.Properties", "Set", "ssv", body)
        print(json.dumps({"trees": trees, "said": shown.stdout.readline().strip()}))
    finally:
        shown.kill()
        shown.wait()


def _tree(bus: Bus) -> dict:
    """The tree of the window, once it has registered."""
    end = time.monotonic() + 30
    while time.monotonic() < end:
        for child in bus.children(("org.a11y.atspi.Registry", ROOT)):
            if bus.property(child, ACCESSIBLE, "Name") == "mat-shelf":
                return bus.walk(child)
        time.sleep(0.2)
    raise TimeoutError("the window has not registered with the bus of assistive technology")


if __name__ == "__main__":
    show() if sys.argv[1:] == ["--show"] else main()
