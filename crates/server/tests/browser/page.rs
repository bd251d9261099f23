//! What the page may and may not do, whatever it shows.

use super::*;
use serde_json::json;

#[actix_web::test]
async fn nothing_comes_from_another_host() {
    let _turn = beside().await;
    let s = TestServer::start().await;
    let b = Browser::watched(1280, 800).await;
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
    let _turn = beside().await;
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
    // A view whose script does not come says so, and comes when it is asked for again.
    b.cdp("Network.enable", json!({})).await;
    b.cdp("Network.setBlockedURLs", json!({ "urls": ["*DeliverView*"] })).await;
    b.click("nav a[href$='/deliver']").await;
    b.find("[data-test=view-failed]").await;
    b.cdp("Network.setBlockedURLs", json!({ "urls": [] })).await;
    b.click("[data-test=view-failed] button").await;
    b.find("[data-test=write]").await;
    b.until("it is over", "return document.querySelector('[data-test=view-failed]') === null").await;
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
    let _turn = beside().await;
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
    // Opened while the database is away: the view comes once it is back, without being asked again.
    stop().await;
    let address = b.page.current_url().await.expect("an address");
    b.page.goto(address.as_str()).await.expect("the page");
    b.until("the page says so", "return document.querySelector('.away')?.innerText.includes('database')").await;
    start();
    b.find("[data-track='two']").await;
    b.until("the page goes on", "return document.querySelector('.away') === null").await;
    b.close().await;
    drop(s);
    stop().await;
}

#[actix_web::test]
async fn keys_themes_and_24_tracks() {
    let _turn = beside().await;
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
