//! The whole way of an engineer: bring in, measure, decide, listen, deliver.

use super::*;

#[actix_web::test]
async fn the_whole_way() {
    let _turn = alone().await;
    let s = TestServer::start().await;
    let b = Browser::open(1280, 800).await;
    let folder = tempfile::tempdir().expect("a folder");
    let x = hits(960_000, 1);
    let files = [
        put(folder.path(), "Drum near.wav", wav(std::slice::from_ref(&x), 48_000, None)),
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
    // After a moment a nudge is a decision of its own.
    tokio::time::sleep(Duration::from_millis(900)).await;
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
    b.js("const e=document.querySelector('[data-test=offset]'); e.value=e.defaultValue; e.blur()").await;

    // Listen.
    round(&b, &s, &only_session(&s).await, x.len()).await;
    let stalls = Stalls::watch();
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
    b.until("more of it", "const d=document.querySelector('[data-test=listen-bar]').dataset; return Number(d.frame)>100000 && Number(d.blocks)>50").await;
    unbroken(&b, &stalls).await;
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
