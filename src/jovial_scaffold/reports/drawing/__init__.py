"""Pictures: maps as SVG, PNG, DOT, Mermaid, HTML and text; plots with Matplotlib."""
