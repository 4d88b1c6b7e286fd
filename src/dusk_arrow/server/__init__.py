"""The server. The document of the API asks for the schema of every answer at every address, errors among them: each is made once."""

from functools import cache

from flask_openapi3 import utils

utils.get_model_schema = cache(utils.get_model_schema)
