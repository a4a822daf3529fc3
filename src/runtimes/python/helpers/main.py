import _omnistasis

_omnistasis.run_main()
