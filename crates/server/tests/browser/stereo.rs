//! The image of several channels, seen and repaired.

use super::*;

/// Dots of the goniometer in the upright and in the flat band about its middle.
const DOTS: &str = "const c=document.querySelector('[data-test=goniometer]'); const w=c.width,h=c.height; \
    const d=c.getContext('2d').getImageData(0,0,w,h).data; let up=0, flat=0; \
    for(let y=0;y<h;y++) for(let x=0;x<w;x++){ const k=(y*w+x)*4; if(d[k+3]<80 || d[k+2]-d[k]<40) continue; \
    const dx=Math.abs(x-w/2), dy=Math.abs(y-h/2); if(dx<5&&dy>12) up++; if(dy<5&&dx>12) flat++; } return [up, flat]";

#[actix_web::test]
async fn a_stereo_file_is_seen_heard_and_repaired() {
    let _turn = beside().await;
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
    b.find("[data-finding=channel-inverted]").await;
    // What sounds is this pair, hard left and right: opposed, the dots lie flat.
    assert_eq!(
        b.js("return document.querySelector('[data-test=scope-apart]').getAttribute('aria-pressed')").await,
        "true"
    );
    let session = only_session(&s).await;
    round(&b, &s, &session, x.len()).await;
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
    // Only what the loop holds is repaired, is listed, and is taken out again.
    let range = serde_json::json!({ "range": { "from": 240_000, "to": 480_000, "on": true, "pre_roll_s": 0.0 } });
    s.patch(&format!("/api/sessions/{session}/desk"), range).await;
    let other = "const e=document.querySelector('[data-test=only-loop]'); if(!e.title.endsWith('00:00:05.000 to 00:00:10.000')) return false; e.click(); return true";
    b.until("the other loop", other).await;
    b.until(
        "within",
        "const e=document.querySelector('[data-test=accept-repair]'); return e?.innerText === 'Accept within the loop' && !e.disabled",
    )
    .await;
    b.click("[data-test=accept-repair]").await;
    let listed = "const m=document.querySelector('[data-stretch]'); return m && `${m.dataset.stretch} ${m.dataset.from} ${m.dataset.to} ${m.innerText.includes('inverted')}`";
    b.until("listed", &format!("return (()=>{{ {listed} }})() === 'R 240000 480000 true'")).await;
    b.until("agreed there", &format!("return (()=>{{ {said} }})() === 'solid false'")).await;
    // What will be delivered is told before it is written.
    b.click("nav a[href$='/deliver']").await;
    let row = "const t=document.querySelector('[data-test=stretch]'); return t && t.innerText.trim() === 'repaired 00:00:05.000 to 00:00:10.000: inverted'";
    b.until("told under Deliver", row).await;
    b.click("nav a[href$='/stereo']").await;
    b.click("[data-test=take-out]").await;
    b.until("taken out", "return document.querySelector('[data-stretch]') === null").await;
    assert_eq!(s.tracks(&session).await[1]["stretches"], serde_json::json!([]));
    b.no_errors().await;
    b.close().await;
}

/// Dots in the quarters of the XY picture: where both channels go the same way, and where they oppose.
const QUARTERS: &str = "const c=document.querySelector('[data-test=goniometer]'); const w=c.width,h=c.height; \
    const d=c.getContext('2d').getImageData(0,0,w,h).data; let same=0, opposed=0; \
    for(let y=0;y<h;y++) for(let x=0;x<w;x++){ const k=(y*w+x)*4; if(d[k+3]<80 || d[k+2]-d[k]<40) continue; \
    const dx=x-w/2, dy=h/2-y; if(Math.abs(Math.abs(dx)-Math.abs(dy))>6||Math.abs(dx)<12) continue; if(dx*dy>0) same++; else opposed++; } return [same, opposed]";

#[actix_web::test]
async fn sides_are_compared_and_the_picture_turns_to_xy() {
    let _turn = beside().await;
    let (s, session) = demo().await;
    let b = Browser::open(1280, 800).await;
    b.page.goto(&format!("{}/sessions/{session}/stereo", s.base)).await.expect("the page");
    b.js("document.documentElement.classList.remove('dark')").await;
    // Every source in every pair: the hall pair is against all others.
    b.click("[data-test=part-sides]").await;
    b.find("[data-test=sides]").await;
    let against = "return [...document.querySelectorAll('[data-test=sides] thead th')].map((h,i)=>[h.innerText.split('·')[0].trim(), [...document.querySelectorAll('[data-test=sides] tbody tr')].filter(r=>r.cells[i].classList.contains('caution')).length]).filter(x=>x[1]>2).map(x=>x[0]).join()";
    b.until("the odd pair", &format!("return (()=>{{ {against} }})() === 'Hall pair L'")).await;
    b.click("[data-exchange='Hall pair L']").await;
    b.until("all agree", &format!("return (()=>{{ {against} }})() === ''")).await;
    // The seat turns round: names, and from whose seat it is said.
    b.click("[data-test=turn-seat]").await;
    b.until("turned", "return document.querySelector('[data-test=seat]').innerText.startsWith('performer')").await;
    let names: Vec<String> = s.tracks(&session).await.iter().map(|t| t["name"].as_str().unwrap().to_string()).collect();
    assert!(names[7] == "Main pair R" && names[8] == "Main pair L", "{names:?}");
    b.click("[data-test=turn-seat]").await;
    b.until("back", "return document.querySelector('[data-test=seat]').innerText.startsWith('audience')").await;
    // XY: a choir with one channel turned over lies in the quarters where both oppose.
    b.click("[data-test=part-image]").await;
    let choose = |label: &str| {
        format!(
            "const e=[...document.querySelectorAll('.el-select-dropdown__item')].find(x=>x.offsetParent&&x.innerText.trim()==='{label}'); if(!e) return false; e.click(); return true"
        )
    };
    b.click("[data-test=set]").await;
    b.until("the set", &choose("Bells rendered")).await;
    b.click("[data-test=xy]").await;
    round(&b, &s, &session, 480_000).await;
    b.click("[data-test=play]").await;
    b.until("in step", &format!("const n=(()=>{{ {QUARTERS} }})(); return n[0] > 20 && n[0] > 5 * n[1]")).await;
    b.until("now", "return document.querySelector('[data-test=now-full]')?.innerText.includes('+1.00')").await;
    // Balance, over the whole and now: a rendered sound that is alike on both sides.
    b.until("even", "const d=document.querySelector('[data-test=balance]').dataset; return Math.abs(Number(d.whole)) < 3 && d.now !== undefined && Math.abs(Number(d.now)) < 12").await;
    b.key(" ").await;
    // A wide pair: its phase is drawn within a turn or with a lag taken out, and says which.
    b.click("[data-test=set]").await;
    b.until("the set", &choose("Hall pair")).await;
    b.until(
        "the phase says what it is",
        "return /taken out|no delay fits/.test(document.querySelector('[data-test=phase-told]')?.innerText ?? '')",
    )
    .await;
    // The hall in five and one: the surround that is turned over is told, seen in the matrix and in its direction.
    b.click("[data-test=set]").await;
    b.until("the set", &choose("Hall 5.1")).await;
    b.find("[data-finding=channel-inverted]").await;
    b.find("[data-test=matrix]").await;
    b.until("alarmed", "return document.querySelectorAll('[data-test=matrix] td.alarm').length >= 2").await;
    let magenta = "const c=document.querySelector('[data-test=surround]'); const d=c.getContext('2d').getImageData(0,0,c.width/2,c.height).data; let n=0; for(let k=0;k<d.length;k+=4) if(d[k+3]>200&&d[k]>140&&d[k+1]<90&&d[k+2]>80) n++; return n > 100";
    b.until("its direction in magenta, on the left", magenta).await;
    // While it sounds, folded down by ear, levels are those of what sounds.
    b.until("the whole", "return document.querySelector('[data-test=around]').dataset.now === 'false'").await;
    b.key(" ").await;
    b.until("now", "return document.querySelector('[data-test=around]').dataset.now === 'true'").await;
    // Where the whole sits, with its trail: in front, for the hall is heard from there.
    b.until("it sits somewhere", "const d=document.querySelector('[data-test=surround]').dataset; return Number(d.trail) > 5 && Math.hypot(Number(d.right), Number(d.ahead)) <= 1").await;
    b.key(" ").await;
    // The list of sessions tells when, how many and how long.
    b.page.goto(&s.base).await.expect("the page");
    let row = "const r=document.querySelector('[data-test=session]')?.closest('tr'); return r && r.innerText";
    let text = b.until("the list", row).await.as_str().unwrap().to_string();
    assert!(text.contains("28") && text.contains("0:01:1") && text.contains("-"), "{text}");
    b.no_errors().await;
    b.close().await;
}
