# A two-joint tube as body and a wider one as piece, as GLB.
import struct,json,math
def tube(r,n=12,m=9,h=1.0):
    P=[];N=[];T=[]
    for k in range(m):
        for i in range(n):
            a=2*math.pi*i/n; P.append((r*math.sin(a),h*k/(m-1),r*math.cos(a))); N.append((math.sin(a),0,math.cos(a)))
    for k in range(m-1):
        for i in range(n):
            a=k*n+i;b=k*n+(i+1)%n; T+= [(a,b,b+n),(a,b+n,a+n)]
    return P,N,T
def glb(name,r,skin):
    P,N,T=tube(r); buf=b'';views=[];acc=[]
    def add(data,ct,ty,count,target=None,mm=None):
        nonlocal buf
        while len(buf)%4: buf+=b'\0'
        v={'buffer':0,'byteOffset':len(buf),'byteLength':len(data)}
        if target: v['target']=target
        views.append(v); a={'bufferView':len(views)-1,'componentType':ct,'count':count,'type':ty}
        if mm: a['min'],a['max']=mm
        acc.append(a); buf+=data; return len(acc)-1
    f32=lambda L:b''.join(struct.pack('<%df'%len(x),*x) for x in L)
    mn=[min(p[i] for p in P) for i in range(3)];mx=[max(p[i] for p in P) for i in range(3)]
    mn=[struct.unpack('<f',struct.pack('<f',x))[0] for x in mn]; mx=[struct.unpack('<f',struct.pack('<f',x))[0] for x in mx]
    at={'POSITION':add(f32(P),5126,'VEC3',len(P),34962,(mn,mx)),'NORMAL':add(f32(N),5126,'VEC3',len(N),34962)}
    idx=add(b''.join(struct.pack('<3H',*t) for t in T),5123,'SCALAR',3*len(T),34963)
    g={'asset':{'version':'2.0'},'scene':0,'scenes':[{'nodes':[0]}],'nodes':[{'name':name,'mesh':0}],'meshes':[{'name':name,'primitives':[{'attributes':at,'indices':idx}]}]}
    if skin:
        at['JOINTS_0']=add(b''.join(struct.pack('<4B',0,1,0,0) for _ in P),5121,'VEC4',len(P),34962)
        w=[max(0,min(1,(p[1]-.35)/.3)) for p in P]
        at['WEIGHTS_0']=add(f32([(1-x,x,0,0) for x in w]),5126,'VEC4',len(P),34962)
        ib=[[1,0,0,0,0,1,0,0,0,0,1,0,0,0,0,1],[1,0,0,0,0,1,0,0,0,0,1,0,0,-.5,0,1]]
        m=add(f32(ib),5126,'MAT4',2)
        t=add(f32([(0,),(.5,),(1,)]),5126,'SCALAR',3,None,([0],[1]))
        s=math.sin(.6);c=math.cos(.6)
        q=add(f32([(0,0,0,1),(0,0,s,c),(0,0,0,1)]),5126,'VEC4',3)
        g['nodes'][0]['skin']=0
        g['nodes']+=[{'name':'root','children':[2]},{'name':'upper','translation':[0,.5,0]}]
        g['scenes'][0]['nodes']=[0,1]
        g['skins']=[{'joints':[1,2],'inverseBindMatrices':m,'skeleton':1}]
        g['animations']=[{'name':'nod','channels':[{'sampler':0,'target':{'node':2,'path':'rotation'}}],'samplers':[{'input':t,'output':q,'interpolation':'LINEAR'}]}]
    g['accessors']=acc;g['bufferViews']=views;g['buffers']=[{'byteLength':len(buf)}]
    j=json.dumps(g).encode(); j+=b' '*(-len(j)%4); buf+=b'\0'*(-len(buf)%4)
    out=struct.pack('<III',0x46546C67,2,12+8+len(j)+8+len(buf))+struct.pack('<II',len(j),0x4E4F534A)+j+struct.pack('<II',len(buf),0x004E4942)+buf
    open(f'{name}.glb', 'wb').write(out)
glb('post',.1,True); glb('sleeve',.11,False)
