"""Sun and daylight, darkness, illuminance, windows of the clock."""
