import os
os.environ['PYOPENGL_PLATFORM'] = 'egl'
try:
    from OpenGL import GL, GLU
    import OpenGL.arrays.numpymodule
    print(GL.GL_TRIANGLES, OpenGL.arrays.GLfloatArray.zeros((2, 2)).tolist())
except Exception as e:
    print(type(e).__name__, e)
