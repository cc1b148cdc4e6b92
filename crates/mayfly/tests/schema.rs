//! Holds a value to a JSON Schema, of which this knows the words that ours use.
//!
//! Not here: whether the schema is a good one: a reader that is not ours is asked that ([`crate::foreign`]).
//!
//! Invariant: a word that it does not know is an error, so that nothing is passed over.

use serde_json::{Map, Value};

/// What is wrong with the value, each with its place; empty where it holds to the schema.
pub fn errors(schema: &Value, value: &Value) -> Vec<String> {
    let mut found = Vec::new();
    hold(schema, schema, value, "", &mut found);
    found
}

fn hold(root: &Value, schema: &Value, value: &Value, at: &str, found: &mut Vec<String>) {
    let none = Map::new();
    let words = match schema {
        Value::Bool(true) => &none,
        Value::Bool(false) => return found.push(format!("{at}: nothing may stand here")),
        schema => schema.as_object().expect("a schema is an object or a truth"),
    };
    let empty = Vec::new();
    let list = |word: &str| words.get(word).map_or(&empty, |l| l.as_array().expect("a list"));
    let (object, array) = (value.as_object(), value.as_array());
    for (word, wanted) in words {
        let holds = match word.as_str() {
            "$schema" | "$defs" | "title" | "description" => true,
            "$ref" => {
                let place = wanted.as_str().and_then(|r| r.strip_prefix('#')).expect("a place in this schema");
                hold(root, root.pointer(place).expect("it is there"), value, at, found);
                true
            }
            "type" => {
                let is = |t: &Value| match t.as_str().expect("a type's name") {
                    "object" => value.is_object(),
                    "array" => value.is_array(),
                    "string" => value.is_string(),
                    "boolean" => value.is_boolean(),
                    "null" => value.is_null(),
                    "integer" => value.is_i64() || value.is_u64(),
                    other => panic!("the type {other} is not known here"),
                };
                wanted.as_array().map_or_else(|| is(wanted), |any| any.iter().any(is))
            }
            "enum" => list(word).contains(value),
            "const" => wanted == value,
            "minimum" => value.as_f64().is_none_or(|v| v >= wanted.as_f64().expect("a number")),
            "minItems" => array.is_none_or(|a| a.len() as u64 >= wanted.as_u64().expect("a number")),
            "required" => object.is_none_or(|o| list(word).iter().all(|k| o.contains_key(k.as_str().expect("a key")))),
            "properties" => {
                for (key, schema) in wanted.as_object().expect("properties") {
                    if let Some(value) = object.and_then(|o| o.get(key)) {
                        hold(root, schema, value, &format!("{at}/{key}"), found);
                    }
                }
                true
            }
            "additionalProperties" => {
                let known = words.get("properties").and_then(Value::as_object).unwrap_or(&none);
                for (key, value) in object.unwrap_or(&none).iter().filter(|(k, _)| !known.contains_key(*k)) {
                    hold(root, wanted, value, &format!("{at}/{key}"), found);
                }
                true
            }
            "prefixItems" => {
                for (n, (schema, value)) in list(word).iter().zip(array.unwrap_or(&empty)).enumerate() {
                    hold(root, schema, value, &format!("{at}/{n}"), found);
                }
                true
            }
            "items" => {
                let before = list("prefixItems").len();
                for (n, value) in array.unwrap_or(&empty).iter().enumerate().skip(before) {
                    hold(root, wanted, value, &format!("{at}/{n}"), found);
                }
                true
            }
            "oneOf" => {
                let holds = |s: &&Value| {
                    let mut wrong = Vec::new();
                    hold(root, s, value, at, &mut wrong);
                    wrong.is_empty()
                };
                list(word).iter().filter(holds).count() == 1
            }
            other => panic!("the word {other} of a schema is not known here"),
        };
        if !holds {
            found.push(format!("{at}: {value} does not hold to {word} {wanted}"));
        }
    }
}

#[test]
fn each_word_of_a_schema_refuses_what_it_should() {
    use serde_json::json;
    for (schema, good, bad) in [
        (json!({"type": ["string", "null"]}), json!(null), json!(1)),
        (json!({"type": "integer", "minimum": 1}), json!(1), json!(0)),
        (json!({"type": "integer"}), json!(1), json!(1.5)),
        (json!({"type": "boolean", "const": true}), json!(true), json!(false)),
        (json!({"enum": ["a", 1]}), json!(1), json!("b")),
        (json!({"required": ["a"]}), json!({"a": 1}), json!({"b": 1})),
        (json!({"properties": {"a": {"type": "string"}}}), json!({"a": "", "b": 1}), json!({"a": 1})),
        (json!({"properties": {"a": true}, "additionalProperties": false}), json!({"a": 1}), json!({"a": 1, "b": 1})),
        (json!({"type": "array", "items": {"type": "null"}}), json!([null]), json!([null, 1])),
        (json!({"prefixItems": [{"type": "null"}], "items": false}), json!([null]), json!([null, null])),
        (json!({"prefixItems": [{"type": "null"}]}), json!([null, 1]), json!([1])),
        (json!({"minItems": 2}), json!([1, 2]), json!([1])),
        (json!({"oneOf": [{"type": "object"}, {"required": ["a"]}]}), json!({}), json!({"a": 1})),
        (json!({"$ref": "#/$defs/n", "$defs": {"n": {"const": 3}}}), json!(3), json!(4)),
    ] {
        assert!(errors(&schema, &good).is_empty(), "{schema} {good}");
        assert!(!errors(&schema, &bad).is_empty(), "{schema} {bad}");
    }
}
