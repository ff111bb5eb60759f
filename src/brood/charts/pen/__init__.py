"""Small pieces of SVG that every chart draws with."""
