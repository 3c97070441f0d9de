import os,sys,tempfile,pathlib,json
sys.path[:0]=['/work/main','/work/main/src']
from tests.browser.conftest import Site, open_browser
with tempfile.TemporaryDirectory() as f:
    s=Site(pathlib.Path(f)); s.start()
    try:
        b=open_browser(tempfile.mkdtemp()); b.sign_in(s,"chef")
        b.get(s.kitchen+"/plan/list/"); b.save_screenshot("/tmp/work/l1.png")
        ids=[e.get_attribute("value") for e in b.find_elements("css selector","[name=plan]")]
        import urllib.request
        cookie="; ".join(f"{c['name']}={c['value']}" for c in b.get_cookies())
        for name,q in (("cards-a5","what=cards&paper=a5"),("cards-a4","what=cards&paper=a4"),("prep","what=prep")):
            u=s.kitchen+"/plan/papers/?"+"&".join(f"plan={i}" for i in ids[:4])+"&"+q
            if not u.startswith("http"): u=s.base+u
            open(f"/tmp/work/{name}.pdf","wb").write(urllib.request.urlopen(urllib.request.Request(u,headers={"Cookie":cookie})).read())
        b.quit()
    finally: s.stop()
