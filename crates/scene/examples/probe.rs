use marea_core::measure::*; use marea_core::signal::*; use marea_core::units::*;
fn main(){
 let seed: u64 = std::env::args().nth(1).map(|s| s.parse().unwrap()).unwrap_or(1);
 let t=std::time::Instant::now();
 let s = marea_scene::harbour_hall::scene(75.0, seed); let r = s.render();
 println!("render {:?}", t.elapsed());
 let homes=[("Marimba low.wav","Marimba low"),("Marimba high.wav","Marimba high"),("Cajón front.wav","Cajón"),("Cajón back.wav","Cajón"),("Frame drum.wav","Frame drum"),("Cello near.wav","Cello"),("Cello pickup.wav","Cello")];
 let rate=SampleRate::new(48000).unwrap();
 let mut bad=0; let mut und=0; let mut n=0;
 for (fa,src) in homes { let a=MemSource(r.channel(fa,1).unwrap().to_vec());
  for (fb,pl) in &r.files { for ch in 1..=pl.len() { if fb==fa {continue}
   let b=MemSource(pl[ch-1].clone());
   let t=std::time::Instant::now();
   let m=measure_pair(&Placed{source:&a,start:0},&Placed{source:&b,start:0},rate,PairOptions::default(),&mut |_|true).unwrap();
   let (tl,ts)=r.true_lag(src,(fa,1),(fb,ch as u16)).unwrap();
   n+=1; let ok = m.lag_frames.map(|l| (l-tl).abs()<0.5 && m.sign==ts);
   match ok {None=>und+=1,Some(false)=>bad+=1,_=>{}}
   println!("{:18} {:16}{} true {:8.2} {:+} got {:>8} {:+} {:?} h{:.1} coh{:.2} riv{:.2} n{} {:?} inv{} turn{} | {} {:?} {}", fa,fb,ch,tl,ts,m.lag_frames.map_or("-".into(),|l|format!("{l:.2}")),m.sign,m.verdict,m.height,m.coherence,m.rival,m.hits,m.material,m.propose_invert,m.phase_turns,match ok {None=>"?",Some(true)=>"ok",_=>"BAD"},t.elapsed(),m.reason);
  }}}
 println!("n {n} bad {bad} undecided {und}");
}
