"""All that touches the machine: folders on disk, revisions of a repository, the writer. `core` knows only the interfaces."""
