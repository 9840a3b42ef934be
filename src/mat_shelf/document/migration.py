"""Older projects, brought up to the present schema before they are validated."""


def migrated(fields: dict) -> dict:
    """The fields of `project.json` in the present schema.

    Schema 1 kept a camera in each set. Since 2 a project has views of its own; the current set's camera becomes the
    final one, the others stay as views called after their sets. Schema 3 adds variants, room pictures and emission,
    schema 4 poses and zones, schema 5 patterns, schema 6 layers and overlays, schema 7 thin films and sheets, which
    older projects are without.
    """
    schema = fields.get("schema_version")
    if schema in (2, 3, 4, 5, 6):
        return fields | {"schema_version": 7}
    if schema != 1 or not isinstance(fields.get("sets"), list):
        return fields
    fields = dict(fields)
    sets, views = [], []
    for studio in fields["sets"]:
        if not isinstance(studio, dict):
            return fields
        studio = dict(studio)
        camera = studio.pop("camera", None)
        if isinstance(camera, dict):
            camera = camera | {"focus": camera.get("focus") or 0.0}
            is_final = studio.get("id") == fields.get("current_set")
            view = {
                "id": "final" if is_final else f"view-{len(views)}",
                "name": "Final" if is_final else str(studio.get("name")),
                "camera": camera,
            }
            views.insert(0 if is_final else len(views), view)
        sets.append(studio)
    fields["sets"] = sets
    if views:
        fields["views"], fields["current_view"] = views, views[0]["id"]
    fields["schema_version"] = 7
    return fields
