import magic
print(magic.from_buffer(b'%PDF-1.4\n', mime=True) if hasattr(magic, 'from_buffer') else magic.detect_from_content(b'%PDF-1.4\n').mime_type)
