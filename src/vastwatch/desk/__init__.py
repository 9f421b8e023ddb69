"""The Qt application: the only package that knows of Qt."""
