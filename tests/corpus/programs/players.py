import vlc
print(vlc.libvlc_get_version().split()[0].decode().split(".")[0])
