"""Map sets: files, roles and colour spaces, packing into textures, mip chains, sampling and synthesis."""
