//! `signature-broken`: a library was altered after it was signed.

use super::CheckInput;
use crate::finding::{Finding, Severity};
use upright_spanner_image::SignatureStatus;

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    (input.subject.signature == SignatureStatus::Broken).then(|| {
        let named =
            input.subject.facts.and_then(|facts| facts.signer.as_deref()).unwrap_or("no one");
        let sentence = format!(
            "{} was altered after it was signed: its content does not match the signature, which \
             names {named}.",
            input.label()
        );
        let remedy = "Get it again from its source. Use it only if you know who altered \
                      it, and why.";
        Finding::new("signature-broken", Severity::Stop, sentence, remedy)
    })
}
