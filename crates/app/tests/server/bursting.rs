//! Files made to burst a reader. Nothing is committed of them: they are written when they are wanted.

use flate2::write::ZlibEncoder;
use flate2::{Compress, Compression, FlushCompress};
use std::fmt::Write as _;
use std::io::Write;

fn deflated(bytes: &[u8]) -> Vec<u8> {
    let mut z = ZlibEncoder::new(Vec::new(), Compression::best());
    z.write_all(bytes).expect("packed");
    z.finish().expect("packed")
}

/// So many MB of blanks, packed as RFC 1950 and 1951 have it: behind the first MB every one is packed alike, so that one is repeated.
fn blanks(megabytes: u64) -> Vec<u8> {
    let mut packer = Compress::new(Compression::best(), false);
    let mut next = || {
        let mut out = Vec::with_capacity(1 << 16);
        packer.compress_vec(&[b' '; 1 << 20], &mut out, FlushCompress::Sync).expect("packed");
        out
    };
    let (first, second, third) = (next(), next(), next());
    assert_eq!(second, third, "packed alike");
    // The sum of RFC 1950 (Adler's) over equal bytes.
    let (n, byte, modulus) = (u128::from(megabytes) << 20, u128::from(b' '), 65_521);
    let (a, b) = ((1 + n * byte) % modulus, (n + byte * (n * (n + 1) / 2)) % modulus);
    let sum = ((b << 16) | a) as u32;
    let rest = second.repeat(megabytes as usize - 1);
    // At the end an empty block that says it is the last.
    [vec![0x78, 0xda], first, rest, vec![0x03, 0x00], sum.to_be_bytes().to_vec()].concat()
}

fn pdf(objects: &[Vec<u8>]) -> Vec<u8> {
    let mut out = b"%PDF-1.7\n".to_vec();
    let mut offsets = Vec::new();
    for (i, o) in objects.iter().enumerate() {
        offsets.push(out.len());
        out.extend(format!("{} 0 obj\n", i + 1).bytes());
        out.extend_from_slice(o);
        out.extend(b"\nendobj\n");
    }
    let at = out.len();
    out.extend(format!("xref\n0 {}\n0000000000 65535 f \n", objects.len() + 1).bytes());
    offsets.iter().for_each(|o| out.extend(format!("{o:010} 00000 n \n").bytes()));
    out.extend(format!("trailer\n<</Size {}/Root 1 0 R>>\nstartxref\n{at}\n%%EOF\n", objects.len() + 1).bytes());
    out
}

fn stream(data: &[u8], more: &str) -> Vec<u8> {
    let mut out = format!("<<{more}/Length {}>>\nstream\n", data.len()).into_bytes();
    out.extend_from_slice(data);
    out.extend(b"\nendstream");
    out
}

fn page(more: &str, rest: Vec<Vec<u8>>) -> Vec<u8> {
    let mut objects = vec![
        b"<</Type/Catalog/Pages 2 0 R>>".to_vec(),
        b"<</Type/Pages/Kids[3 0 R]/Count 1>>".to_vec(),
        format!("<</Type/Page/Parent 2 0 R/MediaBox[0 0 100 100]/Contents 4 0 R{more}>>").into_bytes(),
    ];
    objects.extend(rest);
    pdf(&objects)
}

/// A file of each kind that once burst a reader, with its name.
pub fn bombs() -> Vec<(&'static str, Vec<u8>)> {
    let nested = deflated(&deflated(&blanks(3000)));
    let forms: Vec<Vec<u8>> = (0..9)
        .map(|i| {
            let next = if i < 8 { format!("/Resources<</XObject<</F {} 0 R>>>>", 6 + i) } else { String::new() };
            let work = if i < 8 { "/F Do ".repeat(10) } else { "0 0 m 10 10 l S ".repeat(10) };
            stream(work.as_bytes(), &format!("/Type/XObject/Subtype/Form/BBox[0 0 100 100]{next}"))
        })
        .collect();
    let mut entities = format!("<!DOCTYPE s [<!ENTITY a \"{}\">", "x".repeat(1000));
    for (name, of) in [("b", "a"), ("c", "b"), ("d", "c"), ("e", "d")] {
        let _ = write!(entities, "<!ENTITY {name} \"{}\">", format!("&{of};").repeat(8));
    }
    let styled: String = (0..3000).map(|i| format!("<path class=\"c{i}\" d=\"M{} 0v9\"/>", i % 90)).collect();
    let sheet: String = (0..40_000).map(|i| format!(".a{i} .b{i} path{{stroke:#{i:06x}}}")).collect();
    let path: String = (0..100_000_u64).map(|i| format!("L{} {}", i % 997, (i * 7919) % 991)).collect();
    let equal: String = (0..120_000).map(|_| "0\nLINE\n8\n0\n10\n0\n20\n0\n11\n100\n21\n50\n").collect();
    let heap = "<path d=\"M100 100h5v5l-2 1h-3z\"/>".repeat(8_000);
    let svg = |body: &str| {
        format!("<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"100mm\" height=\"100mm\" viewBox=\"0 0 1000 1000\">{body}</svg>")
            .into_bytes()
    };
    vec![
        ("filters.pdf", page("", vec![stream(&nested, "/Filter[/FlateDecode/FlateDecode/FlateDecode]")])),
        ("one-filter.pdf", page("", vec![stream(&blanks(3000), "/Filter/FlateDecode")])),
        (
            "picture.pdf",
            page(
                "/Resources<</XObject<</I 5 0 R>>>>",
                vec![
                    stream(b"q 100 0 0 100 0 0 cm /I Do Q", ""),
                    stream(
                        &blanks(300),
                        "/Type/XObject/Subtype/Image/Width 20000/Height 15000/ColorSpace/DeviceGray/BitsPerComponent 8/Filter/FlateDecode",
                    ),
                ],
            ),
        ),
        ("forms.pdf", page("/Resources<</XObject<</F 5 0 R>>>>", [vec![stream(b"/F Do", "")], forms].concat())),
        ("entities.svg", [entities.into_bytes(), b"]>".to_vec(), svg("<path style=\"stroke:&e;\" d=\"M0 0h1\"/>")].concat()),
        ("styles.svg", svg(&format!("<style>{sheet}</style><g class=\"a1\"><g class=\"b1\">{styled}</g></g>"))),
        ("segments.svg", svg(&format!("<path fill=\"none\" stroke=\"red\" d=\"M0 0{path}\"/>"))),
        ("heap.svg", svg(&format!("<path fill=\"none\" stroke=\"red\" d=\"M0 0h1000v1000h-1000z\"/>{heap}"))),
        ("equal.dxf", format!("0\nSECTION\n2\nENTITIES\n{equal}0\nENDSEC\n0\nEOF\n").into_bytes()),
    ]
}

#[test]
fn blanks_are_packed_as_any_packer_has_them() {
    let mut out = Vec::new();
    std::io::Read::read_to_end(&mut flate2::read::ZlibDecoder::new(blanks(3).as_slice()), &mut out).expect("it is whole");
    assert!(out.len() == 3 << 20 && out.iter().all(|b| *b == b' '));
}
