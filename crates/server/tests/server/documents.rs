//! What is written down is true: the README's commands and links, the client's source, the page's tests.

use crate::common::*;
use std::process::Command;

fn text(path: &str) -> String {
    std::fs::read_to_string(project().join(path)).unwrap_or_else(|e| panic!("{path}: {e}"))
}

#[test]
fn commands_and_links_exist() {
    let makefile = text("Makefile");
    let mut seen = 0;
    for document in ["README.md", "ARCHITECTURE.md", "CONTRIBUTING.md"] {
        let body = text(document);
        for target in body.split("](").skip(1).filter_map(|rest| rest.split(')').next()) {
            let file = target.split('#').next().unwrap_or("");
            if file.is_empty() || file.contains("://") {
                continue;
            }
            seen += 1;
            assert!(project().join(file).exists(), "{document} links to {file}");
        }
        for command in body.split('`').filter(|c| c.starts_with("make ") && !c.contains('\n')) {
            let target = command.split_whitespace().nth(1).unwrap_or("");
            seen += 1;
            assert!(makefile.contains(&format!("\n{target}:")), "{document} names {command}");
        }
    }
    assert!(seen > 15, "only {seen} checked");
}

#[test]
fn pictures_are_linked() {
    let readme = text("README.md");
    let pictures: Vec<_> = std::fs::read_dir(project().join("docs/screenshots")).unwrap().flatten().collect();
    assert!(!pictures.is_empty() && pictures.len() < 20);
    for p in pictures {
        let name = p.file_name().into_string().unwrap();
        assert!(readme.contains(&format!("docs/screenshots/{name}")), "{name}");
    }
}

#[test]
fn the_client_is_that_of_this_server() {
    let out = Command::new(env!("CARGO_BIN_EXE_marea")).arg("openapi").output().unwrap();
    let ours: serde_json::Value = serde_json::from_slice(&out.stdout).unwrap();
    let theirs: serde_json::Value = serde_json::from_str(&text("web/src/api/openapi.json")).unwrap();
    // Not shown: both are very long.
    assert!(ours == theirs, "run `make client`");
}

/// The page's own unit tests, so that one command shows everything.
#[test]
fn units_of_the_page() {
    let done = Command::new("npx")
        .args(["--no-install", "vitest", "run"])
        .current_dir(project().join("web"))
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&done.stdout).to_string() + &String::from_utf8_lossy(&done.stderr);
    assert!(done.status.success() && said.contains("passed"), "{said}");
    println!("{said}");
}

#[actix_web::test]
async fn the_description_is_served_with_its_reading_page() {
    let s = TestServer::start().await;
    let (status, body) = s.get("/openapi.json").await;
    assert_eq!((status, &body["info"]["title"]), (200, &"Marea".into()));
    assert!(body["paths"].as_object().unwrap().len() > 15);
    let page = s.http.get(format!("{}/reading/", s.base)).send().await.unwrap();
    assert_eq!(page.status(), 200);
    assert!(page.text().await.unwrap().contains("swagger-ui"));
}
