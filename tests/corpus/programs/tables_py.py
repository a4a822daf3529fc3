import tables, tempfile
with tempfile.TemporaryDirectory() as f:
    with tables.open_file(f + '/t.h5', 'w') as h:
        h.create_array('/', 'tide', [1, 2, 3])
        print(h.root.tide.read(), tables.which_lib_version('blosc') is not None)
