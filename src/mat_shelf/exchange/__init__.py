"""Files that go in and out: projects and swatch packages."""
