import _omnistasis

_omnistasis.run_stored(__name__, globals())
