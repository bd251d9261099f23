//! Modules import in one direction: a circle between two files of a crate fails here.

use petgraph::algo::tarjan_scc;
use petgraph::graphmap::DiGraphMap;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use syn::visit::{self, Visit};

/// Every module of a crate that has a file of its own, by its path; the root's path is empty.
type Modules = BTreeMap<Vec<String>, syn::File>;

fn read(folder: &Path, at: &[String], found: &mut Modules) {
    let mut entries: Vec<PathBuf> = std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().path()).collect();
    entries.sort();
    for path in entries {
        let name = path.file_stem().unwrap().to_str().unwrap().to_string();
        let own = match name.as_str() {
            "lib" | "main" | "mod" => at.to_vec(),
            _ => [at, std::slice::from_ref(&name)].concat(),
        };
        if path.is_dir() {
            read(&path, &own, found);
        } else if path.extension().is_some_and(|e| e == "rs") && (name != "main" || !at.is_empty()) {
            let text = std::fs::read_to_string(&path).unwrap();
            found.insert(own, syn::parse_file(&text).unwrap_or_else(|e| panic!("{}: {e}", path.display())));
        }
    }
}

/// Which modules one module names.
struct Names<'a> {
    own: &'a [String],
    /// Modules inside the file, such as its tests: each takes one `super` more.
    inner: usize,
    all: &'a Modules,
    found: Vec<Vec<String>>,
}

impl Names<'_> {
    fn note(&mut self, path: &[String]) {
        let supers = path.iter().take_while(|s| *s == "super").count();
        let start: Vec<String> = match path.first().map(String::as_str) {
            Some("crate") => Vec::new(),
            Some("super") => match supers.checked_sub(self.inner) {
                Some(up) if up <= self.own.len() => self.own[..self.own.len() - up].to_vec(),
                _ => return,
            },
            Some("self") => self.own.to_vec(),
            Some(first) if self.all.contains_key(&[self.own, &[first.to_string()]].concat()) => self.own.to_vec(),
            _ => return,
        };
        let rest = path.iter().skip_while(|s| matches!(s.as_str(), "crate" | "super" | "self"));
        let mut named = start;
        for segment in rest {
            named.push(segment.clone());
            if !self.all.contains_key(&named) {
                named.pop();
                break;
            }
        }
        if named != self.own {
            self.found.push(named);
        }
    }

    fn tree(&mut self, before: &[String], tree: &syn::UseTree) {
        match tree {
            syn::UseTree::Path(p) => self.tree(&[before, &[p.ident.to_string()]].concat(), &p.tree),
            syn::UseTree::Group(g) => g.items.iter().for_each(|t| self.tree(before, t)),
            syn::UseTree::Name(n) => self.note(&[before, &[n.ident.to_string()]].concat()),
            syn::UseTree::Rename(r) => self.note(&[before, &[r.ident.to_string()]].concat()),
            syn::UseTree::Glob(_) => self.note(before),
        }
    }
}

impl<'a> Visit<'a> for Names<'_> {
    fn visit_item_use(&mut self, item: &'a syn::ItemUse) {
        self.tree(&[], &item.tree);
    }

    // `pub(super)` imports nothing.
    fn visit_visibility(&mut self, _: &'a syn::Visibility) {}

    fn visit_path(&mut self, path: &'a syn::Path) {
        self.note(&path.segments.iter().map(|s| s.ident.to_string()).collect::<Vec<_>>());
        visit::visit_path(self, path);
    }

    fn visit_item_mod(&mut self, item: &'a syn::ItemMod) {
        let inside = usize::from(item.content.is_some());
        self.inner += inside;
        visit::visit_item_mod(self, item);
        self.inner -= inside;
    }
}

fn name(module: &[String]) -> String {
    if module.is_empty() { "the root".into() } else { module.join("::") }
}

/// The circles of a crate's sources, each as the modules in it.
fn circles(sources: &Path) -> Vec<Vec<String>> {
    let mut all = Modules::new();
    read(sources, &[], &mut all);
    let order: Vec<&Vec<String>> = all.keys().collect();
    let number = |m: &Vec<String>| order.iter().position(|o| *o == m).unwrap();
    let mut graph = DiGraphMap::<usize, ()>::new();
    for (own, file) in &all {
        let mut names = Names { own, inner: 0, all: &all, found: Vec::new() };
        names.visit_file(file);
        graph.add_node(number(own));
        names.found.iter().for_each(|to| {
            graph.add_edge(number(own), number(to), ());
        });
    }
    let sets = tarjan_scc(&graph).into_iter().filter(|set| set.len() > 1);
    sets.map(|set| set.into_iter().map(|n| name(order[n])).collect()).collect()
}

#[test]
fn no_module_imports_in_a_circle() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let each = std::fs::read_dir(crates).unwrap().map(|e| e.unwrap().path().join("src")).map(|s| (circles(&s), s));
    let all: Vec<(Vec<Vec<String>>, PathBuf)> = each.collect();
    assert!(all.len() >= 5, "all crates of the workspace");
    let found: Vec<_> = all.iter().filter(|(circles, _)| !circles.is_empty()).collect();
    assert!(found.is_empty(), "{found:#?}");
}

#[test]
fn a_circle_is_seen() {
    let folder = tempfile::tempdir().unwrap();
    let put = |file: &str, text: &str| std::fs::write(folder.path().join(file), text).unwrap();
    put("lib.rs", "mod a; mod b; mod c;");
    put("a.rs", "use crate::b::{X as Y};\n pub struct A;\n#[cfg(test)] mod tests { use super::A; }");
    put("b.rs", "pub struct X; fn f() { super::c::g() }");
    put("c.rs", "pub fn g() {}");
    assert!(circles(folder.path()).is_empty());
    put("c.rs", "pub fn g() { let _ = crate::a::A; }");
    let mut found = circles(folder.path());
    found.iter_mut().for_each(|c| c.sort());
    assert_eq!(found, [["a", "b", "c"]]);
}
