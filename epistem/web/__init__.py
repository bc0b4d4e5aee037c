"""Flask: one blueprint a thing, typed once, published as OpenAPI 3.1."""
