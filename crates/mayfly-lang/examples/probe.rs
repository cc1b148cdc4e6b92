fn main() {
    let path = std::env::args().nth(1).unwrap();
    let text = std::fs::read_to_string(&path).unwrap();
    let p = mayfly_lang::parser::parse(&text);
    assert_eq!(p.tree().text().to_string(), text);
    let c = mayfly_lang::check::check(&path, &text);
    for d in &c.diagnostics {
        println!("{}\n", d.print(&c.sources, false));
    }
    println!("level: {}", c.level.is_some());
}
