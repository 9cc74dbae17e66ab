"""The document: meshes placed as props, the looks they wear, and the edits that change them."""
