import paramiko

key = paramiko.RSAKey.generate(1024)
print(key.get_name(), paramiko.SSHClient().get_host_keys())
