//! Numbers, durations and points under the operators.

use mayfly_base::arith::*;
use mayfly_base::{BinOp, Point, Value};
use proptest::prelude::*;

fn num(n: f64) -> Value {
    Value::Number(n)
}

#[test]
fn the_remainder_has_the_divisors_sign() {
    for (x, y, r) in [(7.0, 3.0, 1.0), (-7.0, 3.0, 2.0), (7.0, -3.0, -2.0), (-7.0, -3.0, -1.0), (0.3, 0.1, 0.0)] {
        let got = binary(BinOp::Mod, &num(x), &num(y)).unwrap();
        assert!(got.same(&num(r)), "{x} mod {y} = {got:?}");
    }
}

#[test]
fn faults_instead_of_strange_values() {
    assert_eq!(binary(BinOp::Div, &num(1.0), &num(0.0)), Err(ArithError::DivisionByZero));
    assert_eq!(binary(BinOp::Mul, &num(1e308), &num(10.0)), Err(ArithError::NotANumber));
    assert_eq!(binary(BinOp::Add, &Value::None, &num(1.0)), Err(ArithError::NoneUsed));
    assert_eq!(binary(BinOp::Mul, &Value::Duration(i64::MAX), &num(4.0)), Err(ArithError::NotANumber));
}

#[test]
fn directions_move_points() {
    let east2 = binary(BinOp::Mul, &Value::direction(1), &num(2.0)).unwrap();
    let p = binary(BinOp::Add, &Value::Point(Point::main(3.0, 4.0)), &east2).unwrap();
    assert_eq!(p, Value::Point(Point::main(5.0, 4.0)));
}

proptest! {
    #[test]
    fn no_pair_of_numbers_panics_or_gives_an_infinite_value(x in any::<f64>(), y in any::<f64>(), i in any::<i64>(), j in any::<i64>()) {
        use BinOp::*;
        for op in [Add, Sub, Mul, Div, Mod, Eq, Ne, Lt, Le, Gt, Ge] {
            for (a, b) in [(num(x), num(y)), (Value::Duration(i), Value::Duration(j)), (Value::Duration(i), num(y))] {
                if x.is_finite() && y.is_finite() && let Ok(Value::Number(n)) = binary(op, &a, &b) {
                    prop_assert!(n.is_finite());
                }
            }
        }
    }

    #[test]
    fn the_three_comparisons_agree(x in -10.0..10.0f64, d in -3e-9..3e-9f64) {
        let (a, b) = (num(x), num(x + d));
        let is = |op| binary(op, &a, &b) == Ok(Value::Flag(true));
        prop_assert_eq!(u8::from(is(BinOp::Lt)) + u8::from(is(BinOp::Eq)) + u8::from(is(BinOp::Gt)), 1);
        prop_assert_eq!(is(BinOp::Le), !is(BinOp::Gt));
    }
}
