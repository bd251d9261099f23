//! The check: read, accepted, put aside, taken back.

use super::*;

/// The table of the demo, its findings accepted, put aside and taken back, a role changed, a cell opened under Align.
#[actix_web::test]
async fn the_check_is_read_and_decided_on() {
    let _turn = TURN.lock().await;
    let (s, session) = demo().await;
    let b = Browser::open(1280, 800).await;
    b.page.goto(&format!("{}/sessions/{session}/check", s.base)).await.expect("the page");
    b.find("[data-test=arrivals]").await;
    let cells = "return [document.querySelectorAll('[data-test=arrivals] tbody tr').length, document.querySelectorAll('[data-test=arrivals] td').length]";
    assert_eq!(b.js(cells).await, serde_json::json!([7, 7 * 26]));
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
    let _turn = TURN.lock().await;
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
