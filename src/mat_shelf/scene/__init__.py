"""The project made ready for rays: Embree geometry, material table, displacement, geometry maps, contact, lights."""
