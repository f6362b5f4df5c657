//! Scenes as text (OpenUSD, ".usda"): prims with attributes, nested.

use std::fmt::Write;

/// A prim and what is in it.
#[derive(Clone, Debug)]
pub struct Prim {
    kind: &'static str,
    name: String,
    metadata: Vec<String>,
    lines: Vec<String>,
    children: Vec<Prim>,
}

impl Prim {
    pub fn new(kind: &'static str, name: &str) -> Prim {
        Prim { kind, name: name_of(name), metadata: Vec::new(), lines: Vec::new(), children: Vec::new() }
    }

    /// An attribute or relationship: type and name, and its value as it stands in the text.
    pub fn with(mut self, declared: &str, value: impl std::fmt::Display) -> Prim {
        self.lines.push(format!("{declared} = {value}"));
        self
    }

    /// An entry of the prim's metadata.
    pub fn with_metadata(mut self, line: String) -> Prim {
        self.metadata.push(line);
        self
    }

    pub fn holding(mut self, child: Prim) -> Prim {
        self.children.push(child);
        self
    }

    /// The name under which others refer to it.
    pub fn name(&self) -> &str {
        &self.name
    }

    fn write(&self, out: &mut String, depth: usize) {
        let pad = "    ".repeat(depth);
        let _ = write!(out, "{pad}def {} \"{}\"", self.kind, self.name);
        if !self.metadata.is_empty() {
            let _ = writeln!(out, " (");
            for line in self.metadata.iter().flat_map(|entry| entry.lines()) {
                let _ = writeln!(out, "{pad}    {line}");
            }
            let _ = write!(out, "{pad})");
        }
        let _ = writeln!(out, "\n{pad}{{");
        for line in &self.lines {
            let _ = writeln!(out, "{pad}    {line}");
        }
        for child in &self.children {
            out.push('\n');
            child.write(out, depth + 1);
        }
        let _ = writeln!(out, "{pad}}}");
    }
}

/// A stage in metres with y up, whose default prim is the one given.
pub fn stage(root: &Prim, documentation: &str) -> String {
    let mut out = format!(
        "#usda 1.0\n(\n    defaultPrim = \"{}\"\n    doc = {}\n    endTimeCode = 0\n    \
         metersPerUnit = 1\n    startTimeCode = 0\n    timeCodesPerSecond = 24\n    upAxis = \"Y\"\n)\n\n",
        root.name,
        text(documentation)
    );
    root.write(&mut out, 0);
    out
}

/// A quoted text.
pub fn text(value: &str) -> String {
    let escaped: String = value
        .chars()
        .flat_map(|c| match c {
            '"' => vec!['\\', '"'],
            '\\' => vec!['\\', '\\'],
            '\n' => vec!['\\', 'n'],
            c if c.is_control() => vec![' '],
            c => vec![c],
        })
        .collect();
    format!("\"{escaped}\"")
}

/// A path of a file beside the stage.
pub fn asset(path: &str) -> String {
    format!("@./{path}@")
}

/// Numbers in parentheses.
pub fn tuple(values: &[f64]) -> String {
    let values: Vec<String> = values.iter().map(|v| number(*v)).collect();
    format!("({})", values.join(", "))
}

/// A number; none that is not finite.
pub fn number(value: f64) -> String {
    if value.is_finite() { format!("{value}") } else { "0".into() }
}

/// An identifier: letters, digits and underscores, no digit first.
pub fn name_of(value: &str) -> String {
    let plain: String = value.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    match plain.chars().next() {
        Some(c) if c.is_ascii_digit() => format!("_{plain}"),
        Some(_) => plain,
        None => "_".into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_and_texts_can_hold_anything() {
        assert_eq!(name_of("3 Ä-b"), "_3___b");
        assert_eq!(name_of(""), "_");
        assert_eq!(text("a \"b\" \\ \n c"), "\"a \\\"b\\\" \\\\ \\n c\"");
        assert_eq!(tuple(&[1.0, f64::NAN, -0.25]), "(1, 0, -0.25)");
        let root = Prim::new("Xform", "Sky").holding(Prim::new("Scope", "a").with("int b", 1));
        assert!(stage(&root, "x").ends_with("    def Scope \"a\"\n    {\n        int b = 1\n    }\n}\n"));
    }
}
