#!/usr/bin/env python3
# Checks an ad-hoc signature and the seal of a bundle, by the published layout alone.
import sys,struct,hashlib,plistlib,os,base64
app=sys.argv[1]; info=plistlib.load(open(app+'/Contents/Info.plist','rb'))
exe=app+'/Contents/MacOS/'+info['CFBundleExecutable']; b=open(exe,'rb').read()
assert b[:4]==bytes.fromhex('cffaedfe'); n=struct.unpack_from('<I',b,16)[0]; at=32
for _ in range(n):
    c,s=struct.unpack_from('<II',b,at)
    if c==0x1d: off,size=struct.unpack_from('<II',b,at+8)
    at+=s
assert off+size==len(b)
magic,length,count=struct.unpack_from('>III',b,off); assert magic==0xfade0cc0
blobs=dict(struct.unpack_from('>II',b,off+12+8*i) for i in range(count))
cd=off+blobs[0]; m,l,v,flags,hoff,ioff,nsp,ncode,limit=struct.unpack_from('>9I',b,cd)
hs,ht,_,ps=struct.unpack_from('4B',b,cd+36)
assert (m,flags,hs,ht,ps,limit)==(0xfade0c02,2,32,2,12,off),(hex(m),flags,hs,ht,ps,limit)
ident=b[cd+ioff:b.index(0,cd+ioff)].decode(); assert ident==info['CFBundleIdentifier']
slot=lambda i:b[cd+hoff+32*i:cd+hoff+32*i+32]
for i in range(ncode): assert slot(i)==hashlib.sha256(b[i*4096:min((i+1)*4096,limit)]).digest(),i
assert slot(-1)==hashlib.sha256(open(app+'/Contents/Info.plist','rb').read()).digest()
res=open(app+'/Contents/_CodeSignature/CodeResources','rb').read(); assert slot(-3)==hashlib.sha256(res).digest()
req=off+blobs[2]; assert slot(-2)==hashlib.sha256(b[req:req+12]).digest()
files=plistlib.loads(res)['files2']; seen=set()
for d,_,fs in os.walk(app+'/Contents'):
    for f in fs:
        p=os.path.relpath(d+'/'+f,app+'/Contents'); seen.add(p)
        if p in files: assert files[p]['hash2']==hashlib.sha256(open(d+'/'+f,'rb').read()).digest(),p
missing=seen-set(files)-{'Info.plist','PkgInfo','_CodeSignature/CodeResources','MacOS/'+info['CFBundleExecutable']}
assert not missing,missing; print('sealed:',len(files),'files,',ncode,'pages')
