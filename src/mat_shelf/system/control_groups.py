"""Control groups that this process is in, whose limits hold for it.

References
----------
Linux kernel, Control Group v2; Control Groups version 1, in which each controller has folders of its own.
"""

from pathlib import Path

_GROUPS = Path("/sys/fs/cgroup")
_OWN = Path("/proc/self/cgroup")


def own_folders(controller: str, groups: Path = _GROUPS, own: Path = _OWN) -> list[Path]:
    """Folders of the groups that this process is in, each before the one that it lies in.

    Some may not be there: inside of a container only the outermost is, whose limits are the container's.

    Parameters
    ----------
    controller : str
        Name of the controller, as version 1 has it.
    groups : Path
        Where the groups are.
    own : Path
        Which of them this process is in, line by line.

    Returns
    -------
    list of Path
    """
    try:
        lines = own.read_text("utf-8", "replace").splitlines()
    except OSError:
        return [groups]
    folders = []
    for _, controllers, group in (line.split(":", 2) for line in lines if line.count(":") > 1):
        if not controllers or controller in controllers.split(","):
            outermost = groups / controller if controllers else groups
            folder = outermost / group.lstrip("/")
            folders += [each for each in (folder, *folder.parents) if each == outermost or outermost in each.parents]
    return folders
