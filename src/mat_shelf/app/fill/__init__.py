"""The Fill station: liquid in vessels, and drops on parts."""
