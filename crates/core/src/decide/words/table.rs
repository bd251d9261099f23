//! Words of the trade in English, Spanish, Italian, German and French (common practice, no source), as [`super::tokens`] folds them:
//! lower case, without accents, parts of a word written together.

use crate::track::{Role, Side};
use std::collections::HashMap;
use std::sync::LazyLock;

/// What a word stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Word {
    /// Where something was picked up.
    Role(Role),
    /// The same, unless an instrument is named beside it: *main vocals*, *stereo piano*.
    Technique,
    /// A place at a source, or one of several microphones there.
    Place,
    /// Left, right, centre.
    Side(Side),
    /// An instrument, by the word that all its forms share.
    Part(&'static str),
    /// Names nothing.
    Empty,
    /// With a number after it, one playing of a part.
    Take,
}

const ROLES: [(Role, &str); 5] = [
    (
        Role::Room,
        "room rooms rm rms hall ambience ambient ambiance amb ambs ambiente ambienti sala salle raum saal halle far distant lejano \
         lontano fern loin lointain audience publico pubblico publikum public crowd camera cameras kamera camara telecamera",
    ),
    (Role::Main, "overhead overheads oh ohs ovhd ovhds ovh ovr ortf aereo aereos panoramici panoramico overh galgen"),
    (
        Role::Direct,
        "di direct pickup line piezo contact diretta diretto directo directa linea direkt tonabnehmer pastilla capteur microcontact \
         ligne",
    ),
    (Role::Print, "print tape return cinta retorno nastro ritorno bande retour band ruckweg"),
    (Role::Rendered, "render rendered midi bounce sampled programmed trigger trig sample samples"),
];

const TECHNIQUES: &str =
    "main mains ab xy ms tree pair stereo principal principale haupt hauptmikro couple par blumlein decca";

const PLACES: &str = "near close spot front back top tp bottom bot btm bt under in out inside outside int ext amp ampli cab cabinet verstarker \
    amplificador amplificatore box sub beater reso batter port hole shell neck body bridge \
    cerca cercano delante detras arriba abajo dentro fuera vicino davanti dietro sopra sotto fuori nah nahe stutze vorne hinten oben \
    unten innen aussen proche appoint devant derriere dessus dessous dedans dehors";

/// Places that stand before an instrument as well as after it.
pub const LEADING_PLACES: [&str; 14] = [
    "top", "bottom", "btm", "under", "in", "out", "inside", "outside", "close", "near", "spot", "cerca", "vicino",
    "nah",
];

/// Words for sides and for the centre, in five languages (common practice, no source).
const LEFT: &str = "l left links li izq izquierda izquierdo gauche g sx sinistra sinistro lt lft";
const RIGHT: &str = "r right rechts re der derecha derecho droite d dx destra destro rt rgt";
const CENTRE: &str = "c centre center centro mitte milieu mid mono medio ctr";

const SIDES: [(&str, Side); 3] = [(LEFT, Side::Left), (RIGHT, Side::Right), (CENTRE, Side::Centre)];

/// Words that say nothing of where a microphone stands.
const EMPTY: &str = "mic mics micro mikro mikrofon microfono microphone audio track trk pista traccia spur piste rec file input kanal \
    channel ch copy copia kopie copie dup edit comp bip final raw new neu nuevo nuovo nouveau";

/// Words before the number of a take.
const TAKES: &str = "take tk toma ripresa prise aufnahme durchgang passata";

/// Instruments with the forms of each.
const PARTS: [(&str, &str); 33] = [
    (
        "kick",
        "kick kik kck bd bassdrum bombo cassa grancassa grossecaisse gc grossetrommel basstrommel kickdrum bassd kd",
    ),
    (
        "snare",
        "snare snr sn sd sna caja tarola redoblante rullante caisseclaire cc kleinetrommel snaredrum schnarrtrommel",
    ),
    ("hat", "hat hats hh hihat hihats charles charleston charley hht"),
    ("tom", "tom toms rt racktom tomtom hangetom rack tm"),
    (
        "floortom",
        "floortom ft floor flr standtom timbalbase tombase tombasse goliat timpano tomfloor tomdepiso flrtom standtoms",
    ),
    ("ride", "ride rd rid"),
    ("crash", "crash cr crsh"),
    ("cymbal", "cymbal cymbals cym becken piatto piatti platillo platillos cymbale cymbales china splash"),
    ("percussion", "percussion perc percs percusion percussioni"),
    ("conga", "conga congas tumba tumbadora"),
    ("bongo", "bongo bongos"),
    ("shaker", "shaker shk"),
    ("tambourine", "tambourine tamb pandereta tamburello tamburin tambourin"),
    ("bass", "bass bs bss bajo basso basse ebass bassgtr bassguitar"),
    ("doublebass", "doublebass contrabajo contrabbasso kontrabass contrebasse uprightbass upright"),
    (
        "guitar",
        "guitar guitars gtr gtrs git guit gt guitarra guitarras chitarra chitarre gitarre gitarren guitare guitares egtr egit",
    ),
    ("acoustic", "acoustic agtr acgtr acgit acustica akustik acoustique acgt"),
    ("piano", "piano pno klavier flugel grandpiano pianoforte"),
    ("organ", "organ org organo orgel orgue"),
    ("keys", "keys keyboard keyboards kbd teclado tastiera clavier"),
    ("synth", "synth synths syn sintetizador sintetizzatore synthe"),
    (
        "voice",
        "vox voc vocs voice voices vocal vocals voz voces voce voci stimme gesang voix chant leadvox ldvox leadvocal vx",
    ),
    ("backing", "bv bvs bgv bgvs backingvox backingvocal backingvocals coro coros cori choeurs chor"),
    ("violin", "violin vln vn violino geige"),
    ("viola", "viola vla bratsche"),
    ("cello", "cello vc vcl violonchelo violoncello violoncelle"),
    ("trumpet", "trumpet tpt trp trompeta tromba trompete trompette"),
    ("trombone", "trombone tbn trb trombon posaune"),
    ("saxophone", "sax saxophone saxofon sassofono saxophon altosax tenorsax barisax"),
    ("flute", "flute fl flauta flauto flote"),
    ("clarinet", "clarinet clar clarinete clarinetto klarinette clarinette"),
    ("harp", "harp arpa harfe harpe"),
    ("accordion", "accordion acc acordeon fisarmonica akkordeon accordeon"),
];

/// What every word stands for. Where a word has two meanings the first one counts.
static MEANINGS: LazyLock<HashMap<&'static str, Word>> = LazyLock::new(|| {
    let parts = PARTS.iter().map(|(part, forms)| (*forms, Word::Part(part)));
    let roles = ROLES.iter().map(|(role, list)| (*list, Word::Role(*role)));
    let lists = [(TECHNIQUES, Word::Technique), (PLACES, Word::Place), (EMPTY, Word::Empty), (TAKES, Word::Take)];
    let sides = SIDES.iter().map(|(list, side)| (*list, Word::Side(*side)));
    let mut all = HashMap::new();
    for (list, meaning) in parts.chain(roles).chain(lists).chain(sides) {
        list.split_whitespace().for_each(|word| {
            all.entry(word).or_insert(meaning);
        });
    }
    all
});

/// What a folded word stands for; none for one that is not of the trade. Where a word has two meanings the first one here counts.
pub fn meaning(word: &str) -> Option<Word> {
    MEANINGS.get(word).copied()
}

/// The side a folded word names.
pub fn side(word: &str) -> Option<Side> {
    SIDES.iter().find(|(list, _)| list.split_whitespace().any(|w| w == word)).map(|l| l.1)
}

/// The other word for a side.
pub fn other_side(word: &str) -> Option<&'static str> {
    const OTHER: [(&str, &str); 18] = [
        ("l", "r"),
        ("left", "right"),
        ("links", "rechts"),
        ("li", "re"),
        ("izq", "der"),
        ("izquierda", "derecha"),
        ("izquierdo", "derecho"),
        ("gauche", "droite"),
        ("g", "d"),
        ("sx", "dx"),
        ("sinistra", "destra"),
        ("sinistro", "destro"),
        ("lt", "rt"),
        ("lft", "rgt"),
        ("ls", "rs"),
        ("lb", "rb"),
        ("ltf", "rtf"),
        ("ltb", "rtb"),
    ];
    OTHER.into_iter().find_map(|(a, b)| match word {
        w if w == a => Some(b),
        w if w == b => Some(a),
        _ => None,
    })
}
