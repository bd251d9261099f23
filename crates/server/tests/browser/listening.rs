//! Listening by its switches and keys: nothing breaks off, and what is set lasts.

use super::*;

/// A value of the listen bar.
async fn bar(b: &Browser, name: &str) -> String {
    b.find("[data-test=listen-bar]").await.attr(&format!("data-{name}")).await.unwrap().unwrap_or_default()
}

fn pressed(name: &str, on: bool) -> String {
    format!("return document.querySelector('[data-test={name}]').getAttribute('aria-pressed') === '{on}'")
}

#[actix_web::test]
async fn switches_change_what_sounds_without_a_gap_and_last() {
    let _turn = alone().await;
    let s = TestServer::start().await;
    let session = s.session("Switches").await;
    let x = hits(1_440_000, 4);
    let files = [
        ("Left near.wav", wav(std::slice::from_ref(&x), 48_000, None)),
        ("Right near.wav", wav(&[moved(&x, 30, 0.7)], 48_000, None)),
    ];
    let tracks = s.bring_in(&session, &files).await;
    let changes: Vec<_> =
        tracks.iter().map(|t| serde_json::json!({ "track_id": t["id"], "after": { "gain_db": -6.0 } })).collect();
    let softer = serde_json::json!({ "label": "softer", "changes": changes });
    assert_eq!(s.post(&format!("/api/sessions/{session}/decisions"), softer).await.0, 201);
    let b = Browser::open(1280, 800).await;
    b.page.goto(&format!("{}/sessions/{session}/align", s.base)).await.expect("the page");
    b.find("[data-test=play]").await;
    round(&b, &s, &session, x.len()).await;
    let stalls = Stalls::watch();
    b.key(" ").await;
    let going = "const d=document.querySelector('[data-test=listen-bar]').dataset; return d.context==='running' && Number(d.frame)>12000";
    b.until("sound", going).await;
    // Every switch by its key, on and off, while it sounds.
    for (key, name) in
        [("m", "mono"), ("e", "swap"), ("q", "dim"), ("i", "click"), ("v", "difference"), ("o", "scope-group")]
    {
        b.key(key).await;
        b.until(name, &pressed(name, true)).await;
        tokio::time::sleep(Duration::from_millis(150)).await;
        b.key(if key == "o" { "s" } else { key }).await;
        b.until(name, &pressed(name, false)).await;
    }
    b.click("[data-test=scope-session]").await;
    assert!(bar(&b, "answer-ms").await.parse::<f64>().unwrap() > 0.0, "the last change was heard");
    // Both 6 dB softer as corrected: as recorded comes down by as much, and that is said.
    b.key("y").await;
    b.key("c").await;
    b.until("matched", "return document.querySelector('[data-test=matched]').innerText === 'Matched −6.00 dB'").await;
    b.key("c").await;
    b.until("the softer stays", "return document.querySelector('[data-test=matched]').innerText === 'Matched 0.00 dB'")
        .await;
    unbroken(&b, &stalls).await;
    // Half the speed: the place moves on by half of what the sound's own clock does, however busy the machine is.
    b.key("j").await;
    b.key("j").await;
    b.until("half", "return document.querySelector('[data-test=speed]').innerText === '50 %'").await;
    let pace = "const d=document.querySelector('[data-test=listen-bar]').dataset; const [f,t,g]=[Number(d.frame),Number(d.soundS),d.gaps]; return new Promise(done=>{ const look=()=>{ const s=Number(d.soundS)-t; if(s<1.5) setTimeout(look,20); else done(d.gaps===g && (Number(d.frame)-f+1440000)%1440000/(s*48000)) }; look() })";
    // The sound of before has half a second left.
    b.until("the new speed", &format!("{pace}.then(x=>x>0 && x<0.65)")).await;
    let pace = b.until("a second and a half without a gap", pace).await.as_f64().unwrap();
    assert!((0.42..0.58).contains(&pace), "{pace}");
    b.key("j").await;
    b.key("j").await;
    b.until("whole", "return document.querySelector('[data-test=speed]').innerText === '100 %'").await;
    b.key(" ").await;
    b.until("stopped", "return document.querySelector('[data-test=listen-bar]').dataset.playing==='false'").await;
    // What was set is kept with the session; nothing of it is decided or delivered.
    tokio::time::sleep(Duration::from_millis(400)).await;
    let (_, detail) = s.get(&format!("/api/sessions/{session}")).await;
    assert_eq!(
        (&detail["desk"]["listening"]["matched"], &detail["desk"]["listening"]["scope"]),
        (&true.into(), &"session".into())
    );
    assert_eq!(detail["steps"]["count"], 1);
    b.page.refresh().await.expect("the page");
    b.until("still matched", &pressed("matched", true)).await;
    b.no_errors().await;
    b.close().await;
}

#[actix_web::test]
async fn a_loop_goes_round_and_a_hit_is_heard_by_itself() {
    let _turn = alone().await;
    let s = TestServer::start().await;
    let session = s.session("Round").await;
    let x = hits(960_000, 8);
    let files = [
        ("A near.wav", wav(std::slice::from_ref(&x), 48_000, None)),
        ("B near.wav", wav(&[moved(&x, 12, 0.8)], 48_000, None)),
    ];
    s.bring_in(&session, &files).await;
    let b = Browser::open(1280, 800).await;
    b.page.goto(&format!("{}/sessions/{session}/align", s.base)).await.expect("the page");
    b.until("measured", "return document.querySelector('[data-test=sentence]')?.dataset.verdict === 'solid'").await;
    let frame = "Number(document.querySelector('[data-test=listen-bar]').dataset.frame)";
    // A loop of a second: after three it is still in there, and it went round without breaking off.
    let range = serde_json::json!({ "range": { "from": 96_000, "to": 144_000, "on": true, "pre_roll_s": 1.9 } });
    s.patch(&format!("/api/sessions/{session}/desk"), range).await;
    b.until("a loop", &pressed("loop", true)).await;
    let stalls = Stalls::watch();
    b.key(" ").await;
    b.until("the pre-roll", &format!("return {frame} > 4800 && {frame} < 96000")).await;
    b.until("inside", &format!("return {frame} >= 96000")).await;
    for _ in 0..12 {
        tokio::time::sleep(Duration::from_millis(250)).await;
        let at = b.js(&format!("return {frame}")).await.as_f64().unwrap();
        assert!((95_000.0..146_000.0).contains(&at), "{at}");
    }
    unbroken(&b, &stalls).await;
    b.key("l").await;
    b.until("on and out", &format!("return {frame} > 150000")).await;
    b.key(" ").await;
    // Just around the hit: it ends by itself, and stands where it began.
    // Shorter than a look may take: every change is written down.
    b.js("const bar=document.querySelector('[data-test=listen-bar]'); window.__turns=0; new MutationObserver(()=>window.__turns++).observe(bar,{attributeFilter:['data-playing']})").await;
    b.until("quiet", "return document.querySelector('[data-test=listen-bar]').dataset.playing==='false'").await;
    b.key("n").await;
    b.js("window.__turns=0").await;
    b.key("p").await;
    b.until("it sounded and ended", "return window.__turns===2").await;
    let began = b.js(&format!("return {frame}")).await;
    b.key("p").await;
    b.until("again", "return window.__turns===4").await;
    assert_eq!(b.js(&format!("return {frame}")).await, began, "the same hit again");
    // Marks by keys: set, left, come back to.
    b.key("k").await;
    b.key("\u{e00f}").await;
    b.until("away", &format!("return {frame} !== {began}")).await;
    b.key("\u{e009}\u{e012}\u{e000}").await;
    b.until("back at the mark", &format!("return Math.abs({frame} - {began}) <= 1")).await;
    // Named, and taken away again; the loop's pre-roll is typed.
    b.click("[data-test=marks]").await;
    b.until("the list", "const e=document.querySelector('[data-mark] input'); if(!e?.offsetParent) return false; e.value='Entry'; e.dispatchEvent(new Event('change')); return true").await;
    b.find("[data-mark=Entry]").await;
    b.until("the pre-roll", "const e=document.querySelector('[data-test=pre-roll]'); if(e.value!=='1.9') return false; e.value='2,5'; e.dispatchEvent(new Event('change')); return true").await;
    b.click("[data-test=remove-mark]").await;
    b.until("no marks", "return document.querySelector('[data-mark]') === null").await;
    // The desk is kept a moment later, and stays so.
    s.until("the desk is kept", async |s| {
        let (_, detail) = s.get(&format!("/api/sessions/{session}")).await;
        let desk = &detail["desk"];
        desk["range"]["pre_roll_s"] == 2.5 && desk["markers"] == serde_json::json!([])
    })
    .await;
    b.no_errors().await;
    b.close().await;
}

/// A way to the server that can be cut: what goes through it breaks off, and nothing comes through until it is mended.
struct Cable {
    port: u16,
    cut: tokio::sync::watch::Sender<bool>,
}

impl Cable {
    async fn to(base: &str) -> Self {
        let target = base.trim_start_matches("http://").to_string();
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
        let port = listener.local_addr().unwrap().port();
        let (cut, watch) = tokio::sync::watch::channel(false);
        actix_web::rt::spawn(async move {
            while let Ok((mut near, _)) = listener.accept().await {
                let (target, mut watch) = (target.clone(), watch.clone());
                actix_web::rt::spawn(async move {
                    if *watch.borrow() {
                        return;
                    }
                    let Ok(mut far) = tokio::net::TcpStream::connect(target).await else { return };
                    tokio::select! {
                        _ = tokio::io::copy_bidirectional(&mut near, &mut far) => {}
                        _ = watch.wait_for(|cut| *cut) => {}
                    }
                });
            }
        });
        Self { port, cut }
    }
}

#[actix_web::test]
async fn a_line_that_breaks_is_said_and_the_sound_goes_on_by_itself() {
    let _turn = alone().await;
    let s = TestServer::start().await;
    let session = s.session("Line").await;
    let x = hits(1_440_000, 2);
    s.bring_in(&session, &[("A near.wav", wav(std::slice::from_ref(&x), 48_000, None))]).await;
    let cable = Cable::to(&s.base).await;
    let b = Browser::open(1280, 800).await;
    b.page.goto(&format!("http://127.0.0.1:{}/sessions/{session}/recordings", cable.port)).await.expect("the page");
    b.find("[data-track='A near']").await;
    b.key(" ").await;
    let frame = "Number(document.querySelector('[data-test=listen-bar]').dataset.frame)";
    b.until("sound", &format!("return {frame} > 24000")).await;
    cable.cut.send(true).unwrap();
    b.until("it is said", "return document.body.innerText.includes('goes on by itself')").await;
    tokio::time::sleep(Duration::from_millis(1_200)).await;
    let stood = b.js(&format!("return {frame}")).await.as_f64().unwrap();
    cable.cut.send(false).unwrap();
    b.until("it goes on", &format!("return {frame} > {}", stood + 48_000.0)).await;
    let playing = b.js("return document.querySelector('[data-test=listen-bar]').dataset.playing").await;
    assert_eq!(playing, "true");
    b.close().await;
}
