//! The page in a real browser, 1280×800: the whole way of an engineer, and what the page may not do.

#[path = "../common/browser.rs"]
mod browser;
#[path = "../common/mod.rs"]
mod common;

use browser::Browser;
use common::*;
use std::time::Duration;
use tokio::sync::Mutex;

/// Browsers take turns: two at a time would starve each other's sound.
static TURN: Mutex<()> = Mutex::const_new(());

async fn new_session(b: &Browser, s: &TestServer, name: &str) {
    b.page.goto(&s.base).await.expect("the page");
    b.find("[data-test=new-name] input, input[data-test=new-name]").await.send_keys(name).await.expect("typed");
    b.click("[data-test=create]").await;
    b.find("[data-test=files]").await;
}

fn put(folder: &std::path::Path, name: &str, bytes: Vec<u8>) -> String {
    let path = folder.join(name);
    std::fs::write(&path, bytes).expect("written");
    path.display().to_string()
}

async fn bring_in(b: &Browser, paths: &[String]) {
    b.find("[data-test=files]").await.send_keys(&paths.join("\n")).await.expect("chosen");
}

#[actix_web::test]
async fn the_whole_way() {
    let _turn = TURN.lock().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    let x = hits(960_000, 1);
    let files = [
        put(folder.path(), "Drum near.wav", wav(&[x.clone()], 48_000, None)),
        put(folder.path(), "Drum far near.wav", wav(&[moved(&x, 333, -0.6)], 48_000, None)),
    ];
    new_session(&b, &s, "The whole way").await;
    bring_in(&b, &files).await;
    b.find("[data-track='Drum far near']").await;
    assert_eq!(b.js("return document.querySelectorAll('tr[data-track]').length").await, 2);

    // Measure.
    b.click("nav a[href$='/align']").await;
    b.until("measured", "return document.querySelector('[data-test=sentence]')?.dataset.verdict === 'solid'").await;
    let sentence = b.find("[data-test=sentence]").await.text().await.expect("text");
    assert!(
        sentence.contains("Drum far near arrives later by 6.94 ms (333") && sentence.contains("2.38 m), inverted"),
        "{sentence}"
    );

    // Apply with one key; the lane moves, its recorded place stays as ghost.
    let lane = "[data-lane='Drum far near']";
    assert_eq!(b.find(lane).await.attr("data-offset").await.unwrap().as_deref(), Some("0"));
    let ink = "const c=document.querySelector('.stack canvas'); const d=c.getContext('2d').getImageData(0,130,c.width,100).data; const out=[]; for(let x=0;x<c.width;x++){let n=0; for(let y=0;y<100;y++){ const k=(y*c.width+x)*4; if(d[k+3]>60 && d[k]<190) n++; } out.push(n)} return out";
    tokio::time::sleep(Duration::from_millis(800)).await;
    let before = b.js(ink).await;
    b.key("\u{e007}").await;
    b.until("applied", "const l=document.querySelector(\"[data-lane='Drum far near']\"); return l?.dataset.offset === '-333' && l.dataset.inverted === 'true'").await;
    tokio::time::sleep(Duration::from_millis(800)).await;
    let after = b.js(ink).await;
    let first = |v: &serde_json::Value| v.as_array().unwrap().iter().position(|n| n.as_i64().unwrap() > 12);
    let (was, is) = (first(&before), first(&after));
    assert!(is.is_some() && (was.is_none() || was > is), "the attack is drawn earlier: {was:?} then {is:?}");
    b.until("nothing is left over", "return document.querySelector('[data-test=remaining]')?.innerText === '0.00 ms'")
        .await;

    // Nudge by one and by ten, flip, undo, redo: all by keys.
    let offset = async |expected: &str| {
        b.until(
            &format!("offset {expected}"),
            &format!("return document.querySelector(\"{lane}\")?.dataset.offset === '{expected}'"),
        )
        .await;
    };
    b.key("]").await;
    offset("-332").await;
    b.key("{").await;
    offset("-342").await;
    b.key("\u{e009}z\u{e000}").await;
    offset("-332").await;
    b.key("\u{e009}y\u{e000}").await;
    offset("-342").await;
    b.key("f").await;
    b.until("upright again", &format!("return document.querySelector(\"{lane}\")?.dataset.inverted === 'false'")).await;
    for expected in ["-342", "-332", "-333"] {
        b.key("\u{e009}z\u{e000}").await;
        offset(expected).await;
    }
    // A key never fires while somebody types.
    b.js("document.querySelector('[data-test=offset]').focus()").await;
    b.find("[data-test=offset]").await.send_keys("f]").await.expect("typed");
    tokio::time::sleep(Duration::from_millis(300)).await;
    offset("-333").await;
    assert_eq!(b.find(lane).await.attr("data-inverted").await.unwrap().as_deref(), Some("true"));
    b.js("const e=document.querySelector('[data-test=offset]'); e.value='-333'; e.blur()").await;

    // Listen.
    let bar = async |name: &str| {
        b.find("[data-test=listen-bar]").await.attr(&format!("data-{name}")).await.unwrap().unwrap_or_default()
    };
    b.key(" ").await;
    b.until("sound", "const d=document.querySelector('[data-test=listen-bar]').dataset; return d.context==='running' && Number(d.frame)>24000").await;
    b.key("c").await;
    b.until(
        "as recorded",
        "return document.querySelector('[data-test=as-recorded]').getAttribute('aria-pressed')==='true'",
    )
    .await;
    b.key("s").await;
    b.key("m").await;
    b.click("[title='solo Drum near']").await;
    tokio::time::sleep(Duration::from_secs(2)).await;
    let (frame, blocks) = (bar("frame").await.parse::<i64>().unwrap(), bar("blocks").await.parse::<i64>().unwrap());
    assert!(frame > 100_000 && blocks > 50, "frame {frame}, {blocks} blocks");
    assert_eq!(bar("gaps").await, "0");
    b.key(" ").await;
    b.until("stopped", "return document.querySelector('[data-test=listen-bar]').dataset.playing==='false'").await;

    // Deliver, and look into the file that the browser downloaded.
    b.cdp(
        "Browser.setDownloadBehavior",
        serde_json::json!({ "behavior": "allow", "downloadPath": b.downloads.path() }),
    )
    .await;
    b.click("nav a[href$='/deliver']").await;
    b.click("[data-test=write]").await;
    b.find("[data-test=delivery]").await;
    b.click("[data-file='Drum far near.wav']").await;
    let path = b.downloads.path().join("Drum far near.wav");
    s.until("downloaded", async |_: &TestServer| path.exists()).await;
    tokio::time::sleep(Duration::from_millis(300)).await;
    let (_, planes) = read(&std::fs::read(&path).expect("the file"));
    assert_eq!(planes[0].len(), 960_000);
    for n in 0..960_000 - 333 {
        assert!(
            (planes[0][n] - 0.6 * x[n]).abs() < 2.5 / 8_388_608.0,
            "frame {n}: {} instead of {}",
            planes[0][n],
            0.6 * x[n]
        );
    }
    assert_eq!(b.errors().await, Vec::<String>::new());
    b.close().await;
}

#[actix_web::test]
async fn nothing_comes_from_another_host() {
    let _turn = TURN.lock().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    new_session(&b, &s, "At home").await;
    bring_in(
        &b,
        &[
            put(folder.path(), "x.wav", wav(&[hits(100_000, 1)], 48_000, None)),
            put(folder.path(), "y.wav", wav(&[hits(100_000, 2)], 48_000, None)),
        ],
    )
    .await;
    b.find("[data-track='y']").await;
    for view in ["align", "deliver", "recordings"] {
        b.click(&format!("nav a[href$='/{view}']")).await;
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
    b.click("[data-test=play]").await;
    tokio::time::sleep(Duration::from_millis(800)).await;
    b.page.goto(&format!("{}/reading/", s.base)).await.expect("the reading page");
    tokio::time::sleep(Duration::from_millis(500)).await;
    let asked = b.requested().await;
    assert!(asked.len() > 15, "only {} requests seen: {asked:?}", asked.len());
    let own = s.base.trim_start_matches("http").to_string();
    for url in &asked {
        let at_home = url.starts_with(&format!("http{own}"))
            || url.starts_with(&format!("ws{own}"))
            || url.starts_with("data:")
            || url.starts_with("blob:")
            || url.starts_with("chrome");
        assert!(at_home, "{url}");
    }
    // Fonts are those shipped with the application.
    b.page.goto(&s.base).await.expect("the page");
    b.until("fonts", "return document.fonts.ready.then(() => document.fonts.check('14px \"Source Sans 3\"'))").await;
    b.close().await;
}

#[actix_web::test]
async fn trouble_is_said_and_forgotten_when_over() {
    let _turn = TURN.lock().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    new_session(&b, &s, "Trouble").await;
    // One good file among bad ones, dropped together.
    let drop = "const make=(n,t)=>new File([t],n); const d=new DataTransfer(); d.items.add(make('letter.wav','dear engineer, no sound here')); d.items.add(make('empty.wav','')); document.querySelector('.view').dispatchEvent(new DragEvent('drop',{dataTransfer:d,bubbles:true,cancelable:true}))";
    b.js(drop).await;
    bring_in(&b, &[put(folder.path(), "good.wav", wav(&[hits(100_000, 1)], 48_000, None))]).await;
    b.find("[data-track='good']").await;
    b.until("the letter is refused", "return document.body.innerText.includes('“letter.wav” is not a recording')")
        .await;
    b.until("the empty file is refused", "return document.body.innerText.includes('“empty.wav” is empty')").await;
    // Nothing to align with one track: the view says what to do.
    b.click("nav a[href$='/align']").await;
    b.until("says what is missing", "return document.body.innerText.includes('Two tracks are needed')").await;
    // Wrong addresses.
    b.page.goto(&format!("{}/sessions/00000000-0000-0000-0000-000000000000/align", s.base)).await.expect("the page");
    b.until("no such session", "return document.body.innerText.includes('There is no such session')").await;
    b.page.goto(&format!("{}/nowhere", s.base)).await.expect("the page");
    b.until("nothing there", "return document.body.innerText.includes('nothing at this address')").await;
    b.close().await;
}

/// The database is stopped and started again while the page is open: it says so, and goes on by itself.
#[actix_web::test]
async fn the_page_survives_its_database() {
    let _turn = TURN.lock().await;
    let folder = tempfile::tempdir().expect("a folder");
    let start = || {
        let out = std::process::Command::new(project().join("scripts/database.sh"))
            .arg(folder.path())
            .arg(std::process::id().to_string())
            .output()
            .unwrap();
        String::from_utf8(out.stdout).unwrap().trim().to_string()
    };
    let stop = async || {
        let pid = std::fs::read_to_string(folder.path().join("db.pid")).unwrap().trim().to_string();
        let _ = std::process::Command::new("kill").arg(&pid).status();
        while std::path::Path::new(&format!("/proc/{pid}")).exists() {
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    };
    let url = start();
    let s = TestServer::with(|x| x.database_url.clone_from(&url)).await;
    let b = Browser::open(1280, 800).await;
    new_session(&b, &s, "Tides").await;
    bring_in(&b, &[put(folder.path(), "one.wav", wav(&[hits(100_000, 1)], 48_000, None))]).await;
    b.find("[data-track='one']").await;
    stop().await;
    b.until("the page says so", "return document.querySelector('.away')?.innerText.includes('database')").await;
    assert_eq!(
        b.js("return document.querySelectorAll('tr[data-track]').length").await,
        1,
        "what was there stays in view"
    );
    start();
    b.until("the page goes on", "return document.querySelector('.away') === null").await;
    bring_in(&b, &[put(folder.path(), "two.wav", wav(&[hits(100_000, 2)], 48_000, None))]).await;
    b.find("[data-track='two']").await;
    b.close().await;
    drop(s);
    stop().await;
}

#[actix_web::test]
async fn keys_themes_and_24_tracks() {
    let _turn = TURN.lock().await;
    let s = TestServer::start().await;
    let session = s.session("Twenty-four").await;
    let x = hits(200_000, 1);
    for n in 0..24i64 {
        let bytes = wav(&[moved(&x, n * 7, 0.9)], 48_000, None);
        assert_eq!(s.upload(&session, &format!("Mic {:02} near.wav", n + 1), bytes).await.0, 202);
    }
    s.settled(&session).await;
    let b = Browser::open(1280, 800).await;
    for view in ["recordings", "align", "deliver"] {
        b.page.goto(&format!("{}/sessions/{session}/{view}", s.base)).await.expect("the page");
        b.until("the view", "return document.querySelector('main .view, main .align') !== null").await;
        assert_eq!(b.js("return document.documentElement.scrollHeight <= innerHeight && document.documentElement.scrollWidth <= innerWidth").await, true, "{view} fits without a page scroll");
    }
    b.page.goto(&format!("{}/sessions/{session}/align", s.base)).await.expect("the page");
    b.click("[data-test=all-lanes]").await;
    b.until("all lanes", "return document.querySelectorAll('[data-lane]').length === 24").await;
    b.key("?").await;
    b.until("the keys", "return [...document.querySelectorAll('[role=dialog] kbd')].length > 20").await;
    b.key("\u{e00c}").await;
    // WCAG 2.2 AA: text contrast of at least 4.5 to 1, in both themes.
    let contrast = "const lum=c=>{const v=c.match(/[0-9a-f]{2}/gi).slice(0,3).map(h=>parseInt(h,16)/255).map(x=>x<=.03928?x/12.92:((x+.055)/1.055)**2.4); return .2126*v[0]+.7152*v[1]+.0722*v[2]}; const s=getComputedStyle(document.documentElement); const of=n=>lum(s.getPropertyValue('--'+n).trim()); const out={}; for(const ink of ['ink','soft','depth','caution','clear']) for(const on of ['paper','panel']) { const [a,b]=[of(ink),of(on)].sort((x,y)=>y-x); out[ink+' on '+on]=(a+.05)/(b+.05) } return out";
    for _ in 0..2 {
        for (pair, ratio) in b.js(contrast).await.as_object().unwrap() {
            assert!(ratio.as_f64().unwrap() >= 4.5, "{pair}: {ratio}");
        }
        b.click("[data-test=theme]").await;
    }
    assert_eq!(b.errors().await, Vec::<String>::new());
    b.close().await;
}

/// The table of the demo, its findings accepted, put aside and taken back, a role changed, a cell opened under Align.
#[actix_web::test]
async fn the_check_is_read_and_decided_on() {
    let _turn = TURN.lock().await;
    let s = TestServer::with(|s| s.demo = true).await;
    let session = s.get("/api/sessions").await.1[0]["id"].as_str().unwrap().to_string();
    s.settled(&session).await;
    let b = Browser::open(1280, 800).await;
    b.page.goto(&format!("{}/sessions/{session}/check", s.base)).await.expect("the page");
    b.find("[data-test=arrivals]").await;
    let cells = "return [document.querySelectorAll('[data-test=arrivals] tbody tr').length, document.querySelectorAll('[data-test=arrivals] td').length]";
    assert_eq!(b.js(cells).await, serde_json::json!([5, 55]));
    let head = b.js("return document.querySelector('article h3').innerText").await;
    assert!(
        head.as_str().unwrap().contains("is wired inverted") || head.as_str().unwrap().contains("swapped"),
        "{head}"
    );
    // What it would do elsewhere is told before it is accepted.
    b.click("[data-test=finding-wired-inverted] [data-test=effects]").await;
    b.until("effects", "return document.querySelectorAll('[data-test=effects-table] tr').length > 1").await;
    b.click("[data-test=finding-wired-inverted] [data-test=accept]").await;
    b.find("[data-test=finding-wired-inverted].agreed").await;
    b.click("[data-test=undo]").await;
    b.find("[data-test=finding-wired-inverted].fault:not(.agreed)").await;
    // Put aside, with a reason that stays.
    b.click("[data-test=finding-pair-swapped] [data-test=dismiss]").await;
    b.find("[data-test=reason]").await.send_keys("as the audience sits").await.expect("typed");
    b.click("[data-test=dismiss-now]").await;
    b.until("aside", "return document.querySelector('[data-test=finding-pair-swapped].dismissed')?.innerText.includes('as the audience sits')").await;
    b.click("[data-test=undo]").await;
    b.find("[data-test=finding-pair-swapped]:not(.dismissed)").await;
    // All solid ones at once; the sign of a column turns with them.
    let drum = "return [...document.querySelectorAll('[data-test=arrivals] tbody tr')].map(r => r.querySelectorAll('td')[4].querySelector('.way')?.innerText).filter(Boolean)";
    let all = |v: &serde_json::Value, mark: &str| v.as_array().unwrap().iter().all(|x| x == mark);
    assert!(all(&b.js(drum).await, "▼"));
    b.click("[data-test=accept-solid]").await;
    b.until("agreed", "return document.querySelectorAll('article.agreed').length >= 3").await;
    assert!(all(&b.js(drum).await, "▲"));
    b.key("z").await;
    b.click("[data-test=undo]").await;
    b.until("open again", "return document.querySelectorAll('article.agreed').length === 0").await;
    // Another role: the check follows by itself.
    b.click("[data-test='head-Frame drum']").await;
    b.until("the form", "const e=[...document.querySelectorAll('[data-test=role]')].find(x=>x.offsetParent); if(!e) return false; e.value='room'; e.dispatchEvent(new Event('change')); return true").await;
    b.until("four sources", "return document.querySelectorAll('[data-test=arrivals] tbody tr').length === 4").await;
    s.settled(&session).await;
    b.click("[data-test=undo]").await;
    b.until("five sources", "return document.querySelectorAll('[data-test=arrivals] tbody tr').length === 5").await;
    // A cell opens both tracks at a hit, with room before the attack.
    b.js("document.querySelector('[data-cell=\"2-3\"]').click()").await;
    b.find("[data-test=sentence]").await;
    b.until("the pair", "return [...document.querySelectorAll('[data-lane]')].map(l => l.dataset.lane).join() === 'Cajón front,Cajón back'").await;
    assert!(b.page.current_url().await.unwrap().as_str().contains("hit="));
    assert_eq!(b.errors().await, Vec::<String>::new());
    b.close().await;
}

/// Dots of the goniometer in the upright and in the flat band about its middle.
const DOTS: &str = "const c=document.querySelector('[data-test=goniometer]'); const w=c.width,h=c.height; \
    const d=c.getContext('2d').getImageData(0,0,w,h).data; let up=0, flat=0; \
    for(let y=0;y<h;y++) for(let x=0;x<w;x++){ const k=(y*w+x)*4; if(d[k+3]<80 || d[k+2]-d[k]<40) continue; \
    const dx=Math.abs(x-w/2), dy=Math.abs(y-h/2); if(dx<5&&dy>12) up++; if(dy<5&&dx>12) flat++; } return [up, flat]";

#[actix_web::test]
async fn a_stereo_file_is_seen_heard_and_repaired() {
    let _turn = TURN.lock().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    let x = hits(960_000, 3);
    let turned: Vec<f32> = x.iter().map(|v| -v).collect();
    new_session(&b, &s, "Stereo").await;
    bring_in(&b, &[put(folder.path(), "Choir stall.wav", wav(&[x.clone(), turned], 48_000, None))]).await;
    b.until("two tracks", "return document.querySelectorAll('tr[data-track]').length === 2").await;
    b.js("document.documentElement.classList.remove('dark')").await;
    b.click("nav a[href$='/stereo']").await;
    let said = "const s=document.querySelector('[data-test=image-sentence]'); return s && s.dataset.verdict + ' ' + s.dataset.invert";
    b.until("inverted", &format!("return (()=>{{ {said} }})() === 'solid true'")).await;
    b.find("[data-finding=channel_inverted]").await;
    // What sounds is this pair, hard left and right: opposed, the dots lie flat.
    assert_eq!(
        b.js("return document.querySelector('[data-test=scope-apart]').getAttribute('aria-pressed')").await,
        "true"
    );
    b.click("[data-test=play]").await;
    let lie = |up_is_more: bool| {
        let wanted = if up_is_more { "n[0] > 40 && n[0] > 8 * n[1]" } else { "n[1] > 40 && n[1] > 8 * n[0]" };
        format!("const n=(()=>{{ {DOTS} }})(); return {wanted}")
    };
    b.until("dots that lie flat", &lie(false)).await;
    // One key takes the repair over; the picture of what sounds follows, and so does what was measured.
    b.key("\u{e007}").await;
    b.until("repaired", &format!("return (()=>{{ {said} }})() === 'solid false'")).await;
    b.until("dots that stand upright", &lie(true)).await;
    // The difference of both: nothing is left as corrected, twice the sound as recorded.
    let null = |test: &str| {
        format!("const n=Number(document.querySelector('[data-test=strip-text]').dataset.null ?? NaN); return {test}")
    };
    b.key("v").await;
    b.until("a null", &null("n < -100")).await;
    b.key("c").await;
    b.until("the sum of both", &null("Math.abs(n - 6.02) < 0.1")).await;
    b.key("c").await;
    b.key("v").await;
    b.until("dots again", &lie(true)).await;
    // As recorded is still there to be heard.
    b.key("c").await;
    b.until("dots that lie flat again", &lie(false)).await;
    b.key(" ").await;
    b.click("[data-test=undo]").await;
    b.until("taken back", &format!("return (()=>{{ {said} }})() === 'solid true'")).await;
    assert!(b.errors().await.is_empty(), "{:?}", b.errors().await);
    b.close().await;
}

/// Types over what stands in the open field of a lane.
async fn type_offset(b: &Browser, text: &str) {
    let input = b.find("[data-test=lane-offset]").await;
    b.js("document.querySelector('[data-test=lane-offset]').value = ''").await;
    input.send_keys(&format!("{text}\u{e007}")).await.expect("typed");
}

#[actix_web::test]
async fn offsets_are_typed_with_any_unit_and_time_is_measured_on_the_lanes() {
    let _turn = TURN.lock().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    let x = hits(480_000, 5);
    new_session(&b, &s, "Lanes").await;
    let files = [
        ("One.wav", vec![x.clone()]),
        ("Two.wav", vec![moved(&x, 0, 0.5)]),
        ("Wide.wav", vec![moved(&x, 9, 0.5), x.clone()]),
    ]
    .map(|(name, planes)| put(folder.path(), name, wav(&planes, 48_000, None)));
    bring_in(&b, &files).await;
    b.until("four tracks", "return document.querySelectorAll('tr[data-track]').length === 4").await;
    b.click("nav a[href$='/align']").await;
    b.click("[data-test=all-lanes]").await;
    let offset_of = |lane: &str, frames: &str| {
        format!("return document.querySelector(\"[data-lane='{lane}']\")?.dataset.offset === '{frames}'")
    };
    // 20 °C: 343.2 m/s. 120 quarters a minute: 1/32 is 62.5 ms.
    for (text, frames) in [("-2.5ms", "-120"), ("1/32", "3000"), ("-110", "-110"), ("343.2 cm", "480")] {
        b.click("[data-lane='Two'] [data-test=type-offset]").await;
        type_offset(&b, text).await;
        b.until(text, &offset_of("Two", frames)).await;
    }
    // What cannot be read is said, and nothing is lost.
    b.click("[data-lane='Two'] [data-test=type-offset]").await;
    type_offset(&b, "soon").await;
    b.until("a sentence", "return document.body.innerText.includes('is no offset')").await;
    b.until("as before", &offset_of("Two", "480")).await;
    // Channels of one file move together.
    b.click("[data-lane^='Wide'] [data-test=type-offset]").await;
    type_offset(&b, "48").await;
    b.until("both", "const l=[...document.querySelectorAll(\"[data-lane^='Wide']\")]; return l.length === 2 && l.every(e => e.dataset.offset === '48')").await;
    // Shift and drag: the time between two places in every unit, and as a frequency.
    b.js("const c=document.querySelector('.sea canvas'); const r=c.getBoundingClientRect(); const at=(type,x)=>c.dispatchEvent(new PointerEvent(type,{bubbles:true,pointerId:1,button:0,shiftKey:true,clientX:r.left+x,clientY:r.top+60})); c.setPointerCapture=()=>{}; at('pointerdown',100); at('pointermove',160); at('pointermove',200); at('pointerup',200)").await;
    let told = b.until("the measure", "return document.querySelector('[data-test=measured]')?.innerText").await;
    let told = told.as_str().expect("text").to_string();
    assert!(["samples", "ms", " m", "quarters", "Hz"].iter().all(|u| told.contains(u)), "{told}");
    assert!(b.errors().await.is_empty(), "{:?}", b.errors().await);
    b.close().await;
}
