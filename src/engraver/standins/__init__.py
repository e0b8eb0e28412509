"""Stand-ins for outside devices: a practice scanner and a practice camera, behind the interface of real ones."""
