"""Foreign descriptions of resources, OpenAPI or JSON Schema, as a catalog: `documents` reads and finds, `translating` writes anew, and
`catalog` puts it together."""
