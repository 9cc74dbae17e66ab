"""Reading and writing: project folders, meshes, map folders, GLB, and GLSL bundles."""
