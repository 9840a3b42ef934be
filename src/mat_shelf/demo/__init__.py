"""The demo: the desk set of Gannet & Reed, a made-up maker of writing things."""
