//! The check: read, accepted, put aside, taken back.

use super::*;

/// The table of the demo, its findings accepted, put aside and taken back, a role changed, a cell opened under Align.
#[actix_web::test]
async fn the_check_is_read_and_decided_on() {
    let _turn = beside().await;
    let (s, session) = demo().await;
    let b = Browser::open(1280, 800).await;
    b.page.goto(&format!("{}/sessions/{session}/check", s.base)).await.expect("the page");
    b.find("[data-test=arrivals]").await;
    let cells = "return [document.querySelectorAll('[data-test=arrivals] tbody tr').length, document.querySelectorAll('[data-test=arrivals] td').length]";
    assert_eq!(b.js(cells).await, serde_json::json!([7, 7 * 28]));
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
    b.until("six sources", "return document.querySelectorAll('[data-test=arrivals] tbody tr').length === 6").await;
    s.settled(&session).await;
    b.click("[data-test=undo]").await;
    b.until("seven sources", "return document.querySelectorAll('[data-test=arrivals] tbody tr').length === 7").await;
    // A cell opens both tracks at a hit, with room before the attack.
    b.js("document.querySelector('[data-cell=\"2-3\"]').click()").await;
    b.find("[data-test=sentence]").await;
    b.until("the pair", "return [...document.querySelectorAll('[data-lane]')].map(l => l.dataset.lane).join() === 'Cajón front,Cajón back'").await;
    assert!(b.page.current_url().await.unwrap().as_str().contains("hit="));
    assert_eq!(b.errors().await, Vec::<String>::new());
    b.close().await;
}

/// Two pairs contradict each other: the card asks, an answer is a decision, and what follows from it is a finding. And two recordings are
/// linked by hand.
#[actix_web::test]
async fn a_question_is_answered_on_the_card() {
    let _turn = beside().await;
    let (s, session) = ensemble().await;
    let b = Browser::open(1280, 800).await;
    b.page.goto(&format!("{}/sessions/{session}/check", s.base)).await.expect("the page");
    let card = "[data-test=finding-pairs-contradict]";
    b.find(card).await;
    let asked = b.js(&format!("return document.querySelector('{card} .question').innerText")).await;
    assert!(asked.as_str().unwrap().contains("seen from the audience?"), "{asked}");
    let hall = format!(
        "[...document.querySelectorAll('{card} .answer')].find(a => a.innerText.includes('Hall pair')).querySelector('button').click()"
    );
    b.js(&hall).await;
    b.find("[data-test=finding-pair-swapped] [data-test=accept]").await;
    b.until("no question", &format!("return !document.querySelector('{card}')")).await;
    b.click("[data-test=undo]").await;
    b.find(card).await;
    b.page.goto(&format!("{}/sessions/{session}/recordings", s.base)).await.expect("the page");
    b.find("[data-track='Cajón front']").await;
    let pick = |name: &str| format!("document.querySelector('[data-track=\"{name}\"] input[type=checkbox]').click()");
    b.js(&pick("Cajón front")).await;
    b.js(&pick("Cajón back")).await;
    b.key("w").await;
    let linked = "return document.querySelector('[data-track=\"Cajón front\"] [data-test=linked]').innerText.trim()";
    b.until("a pair", &format!("{linked} === 'Cajón back'")).await;
    b.js(&pick("Cajón front")).await;
    b.click("[data-test=link]").await;
    b.until("apart", &format!("{linked} === ''")).await;
    assert_eq!(b.errors().await, Vec::<String>::new());
    b.close().await;
}

/// The stage is drawn to scale; a distance is typed, counts, and is taken back.
#[actix_web::test]
async fn the_stage_is_seen_and_a_distance_is_typed() {
    let _turn = beside().await;
    let (s, session) = demo().await;
    let b = Browser::open(1280, 800).await;
    b.page.goto(&format!("{}/sessions/{session}/check", s.base)).await.expect("the page");
    // The cell that was looked at last leads.
    let look = "const c=document.querySelector('[data-cell=\"3-9\"]'); if(!c) return false; c.focus(); return true";
    b.until("a cell", look).await;
    // Either polarity of a microphone is heard from its card, by one key each; the same key again ends it.
    b.js("document.querySelector('[data-test=finding-opposed-by-placement]').focus()").await;
    let hears = |way: &str, on: bool| {
        format!(
            "return document.querySelector('[data-test=finding-opposed-by-placement] [data-test=hear-{way}]').getAttribute('aria-pressed') === '{on}'"
        )
    };
    let playing =
        |on: bool| format!("return document.querySelector('[data-test=listen-bar]').dataset.playing === '{on}'");
    b.find("[data-test=finding-opposed-by-placement]").await.send_keys("4").await.expect("a key");
    b.until("heard inverted", &hears("inverted", true)).await;
    b.until("it plays", &playing(true)).await;
    b.find("[data-test=finding-opposed-by-placement]").await.send_keys("3").await.expect("a key");
    b.until("heard as it is", &hears("as-it-is", true)).await;
    b.find("[data-test=finding-opposed-by-placement]").await.send_keys("3").await.expect("a key");
    b.until("the session again", &hears("as-it-is", false)).await;
    b.key(" ").await;
    b.until("stopped", &playing(false)).await;
    b.click("[data-test=part-stage]").await;
    b.find("[data-test=stage-chart] [data-point=s0]").await;
    b.find("[data-test=lead-line]").await;
    let text = b.find("[data-test=lead-text]").await.text().await.expect("text");
    assert!(text.contains("further from") && text.contains("the arrival says"), "{text}");
    // To scale: metres on the chart are metres in the answer, the same both ways.
    let scale = "const at=(k)=>{const e=document.querySelector(`[data-point=${k}]`), c=e.querySelectorAll('circle')[0]; return [Number(c.getAttribute('cx')),Number(c.getAttribute('cy')),Number(e.dataset.right),Number(e.dataset.front)]}; const [a,b]=[at('s0'),at('m9')]; return [(b[0]-a[0])/(b[2]-a[2]), (b[1]-a[1])/(b[3]-a[3])]";
    let per_m = b.js(scale).await;
    let [across, along] = [0, 1].map(|i| per_m[i].as_f64().unwrap());
    assert!(across > 5.0 && (across / along - 1.0).abs() < 0.05, "{across} and {along} pixels a metre");
    // By keyboard: the focus shows distances, an arrow key steps to the next one.
    b.js("document.querySelector('[data-point=s0]').focus()").await;
    b.find("[data-test=soundings]").await;
    b.find("[data-point=s0]").await.send_keys("\u{e014}").await.expect("a key");
    let stepped = "const k=document.activeElement.dataset.point; return k && k !== 's0'";
    b.until("the next one", stepped).await;
    b.until("distances", "return [...document.querySelectorAll('[data-test=from-there]')].filter(x=>/ c?m$/.test(x.innerText)).length > 10").await;
    // A distance from the source, as it was measured.
    let stands = "return Number(document.querySelector('[data-place=\"Cello near\"] [data-test=from-source]').placeholder.replace(' cm',''))";
    let found = b.js(stands).await.as_f64().unwrap();
    let field = b.find("[data-place='Cello near'] [data-test=from-source]").await;
    field.send_keys("91 cm\u{e007}").await.expect("typed");
    let text = "return document.querySelector('[data-test=undo]').innerText";
    let undo = b.until("decided", &format!("const t=(()=>{{ {text} }})(); return t.includes('91.0 cm') && t")).await;
    assert!(undo.as_str().unwrap().contains("Cello near: 91.0 cm from its source, measured"), "{undo}");
    b.until("it counts", &format!("return Math.abs((()=>{{ {stands} }})() - 91) < 6")).await;
    let (_, check) = s.get(&format!("/api/sessions/{session}/check")).await;
    assert_eq!(check["stale"], false, "nothing is measured anew for it");
    b.find("[data-point] .fixed").await;
    // Between two, in words that are no length, then as one.
    b.js("const f=document.querySelector('[data-test=between]'); const set=(e,v)=>{e.value=v; e.dispatchEvent(new Event('change',{bubbles:true})); e.dispatchEvent(new Event('input',{bubbles:true}))}; const [x,y]=f.querySelectorAll('select'); set(x,x.options[1].value); set(y,y.options[3].value); set(f.querySelector('input'),'far'); f.requestSubmit()").await;
    b.until("refused", "return document.body.innerText.includes('“far” is no length')").await;
    b.js("const f=document.querySelector('[data-test=between]'); const i=f.querySelector('input'); i.value='3,40'; i.dispatchEvent(new Event('input',{bubbles:true})); f.requestSubmit()").await;
    b.until("listed", "return document.querySelector('.facts li')?.innerText.includes('3.40 m')").await;
    // Both are taken back.
    b.click("[data-test=undo]").await;
    b.until("gone", "return document.querySelector('.facts li') === null").await;
    b.click("[data-test=undo]").await;
    b.until("as found", &format!("return Math.abs((()=>{{ {stands} }})() - {found}) < 0.2")).await;
    b.no_errors().await;
    b.close().await;
}
