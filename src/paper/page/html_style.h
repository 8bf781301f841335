#pragma once

namespace lalometer {

/// Style sheet and script of a report's page.
inline constexpr const char* kPageStyle = R"css(
:root{--paper:#f1ede4;--sheet:#fbf9f5;--ink:#1d282e;--quiet:#5f6869;--faint:#e6e1d6;--line:#cfc8b9;--accent:#0e6b72;--warn:#966804;
--c0:#0e6b72;--c1:#c4553b;--c2:#4c5099;--c3:#a07408;--c4:#5b782e;--c5:#8a4580;--c6:#2f80b0;--c7:#53585c}
@media (prefers-color-scheme:dark){:root{--paper:#141a1d;--sheet:#1c2428;--ink:#e9e5db;--quiet:#9ca6a6;--faint:#2b3539;--line:#414c50;--accent:#4fb8b8;--warn:#e0b04c;
--c0:#4fc0c0;--c1:#f08a70;--c2:#a0a6f0;--c3:#e2b84a;--c4:#a6cb70;--c5:#d994ce;--c6:#7ac2ee;--c7:#c4c9cc}}
@media print{:root{--paper:#fff;--sheet:#fff;--ink:#000;--quiet:#444;--faint:#e4e4e4;--line:#bbb;--accent:#0e6b72;--warn:#966804;
--c0:#0e6b72;--c1:#c4553b;--c2:#4c5099;--c3:#a07408;--c4:#5b782e;--c5:#8a4580;--c6:#2f80b0;--c7:#53585c}}
*{box-sizing:border-box}
body{margin:0;background:var(--paper);color:var(--ink);font:16px/1.5 Lato,"Segoe UI","Helvetica Neue",Arial,sans-serif}
main{max-width:880px;margin:0 auto;padding:28px 20px 60px}
header{border-bottom:2px solid var(--accent);margin-bottom:18px;padding-bottom:12px}
h1{font-size:30px;line-height:1.2;margin:0}
h2{font-size:21px;margin:38px 0 8px;padding-top:6px;border-top:1px solid var(--line)}
header p{margin:4px 0 0;color:var(--quiet)}
.verdict{border-left:4px solid var(--accent);padding:6px 14px;margin:18px 0;font-size:18px;white-space:pre-line}
.cards{display:grid;grid-template-columns:repeat(auto-fill,minmax(150px,1fr));gap:10px;margin:18px 0}
.cards div{background:var(--sheet);border:1px solid var(--line);border-radius:6px;padding:10px 12px}
.cards b{display:block;font-size:20px;line-height:1.3}
.cards span,.cards i{display:block;color:var(--quiet);font-size:13px;font-style:normal;line-height:1.35}
nav{font-size:14px;color:var(--quiet)}nav a{color:var(--accent);margin-right:14px;white-space:nowrap}
figure{margin:16px 0 20px;overflow-x:auto}figure svg{width:100%;min-width:600px;height:auto;display:block}
figcaption,caption{color:var(--quiet);font-size:13px;text-align:left}
caption{caption-side:bottom;padding-top:4px}
.scroll{overflow-x:auto}
table{border-collapse:collapse;margin:12px 0;font-size:14px;min-width:50%}
th,td{text-align:left;padding:4px 14px 4px 0;border-bottom:1px solid var(--faint);vertical-align:top}
th{color:var(--quiet);font-weight:600}
p{margin:6px 0}
.own{border-left:3px solid var(--line);padding-left:10px}
.old{border-left:3px solid var(--warn);padding-left:10px}.old small{color:var(--warn);display:block}
.missing li,.highlights li{margin:2px 0}.highlights{padding-left:20px}
#tip{position:fixed;pointer-events:none;background:var(--sheet);border:1px solid var(--line);border-radius:4px;padding:4px 8px;font-size:12px;display:none;white-space:pre;z-index:2}
@media print{figure svg{min-width:0}main{max-width:none;padding:0}figure,tr,.cards div{break-inside:avoid}h2{break-after:avoid}nav,#tip{display:none}body{font-size:11pt}}
)css";

inline constexpr const char* kPageScript = R"js(
(function(){var tip=document.getElementById('tip');
function axis(t){var p=t.split(',');return{log:p[0]==='log',low:+p[1],high:+p[2],from:+p[3],to:+p[4]}}
function value(a,px){var t=(px-a.from)/(a.to-a.from);return a.log?a.low*Math.pow(a.high/a.low,t):a.low+t*(a.high-a.low)}
function number(v,u){if(u==='Hz'&&v>=1000){v/=1000;u='kHz'}return String(+v.toPrecision(3))+(u?' '+u:'')}
function at(d,x){var n=d.match(/[ML]?-?[\d.]+/g),last=null;for(var i=0;i+1<n.length;i+=2){var move=n[i].charAt(0)==='M',px=+n[i].replace(/[ML]/,''),py=+n[i+1];
if(last&&!move&&last[0]<=x&&px>=x){return last[1]+(py-last[1])*(px>last[0]?(x-last[0])/(px-last[0]):0)}last=[px,py]}return null}
document.querySelectorAll('figure svg[data-x]').forEach(function(svg){
var ax=axis(svg.dataset.x),ay=axis(svg.dataset.y),ar=axis(svg.dataset.r);
svg.addEventListener('pointermove',function(e){var box=svg.getBoundingClientRect(),k=svg.viewBox.baseVal.width/box.width,x=(e.clientX-box.left)*k;
if(x<ax.from||x>ax.to){tip.style.display='none';return}
var lines=[number(value(ax,x),svg.dataset.across)];
svg.querySelectorAll('path.curve').forEach(function(p){var y=at(p.getAttribute('d'),x);if(y!==null&&lines.length<12){var right=p.dataset.side==='right';
lines.push(p.dataset.name+'  '+number(value(right?ar:ay,y),right?'':svg.dataset.unit))}});
tip.textContent=lines.join('\n');tip.style.display='block';
tip.style.left=Math.min(e.clientX+14,innerWidth-tip.offsetWidth-8)+'px';tip.style.top=Math.min(e.clientY+14,innerHeight-tip.offsetHeight-8)+'px'});
svg.addEventListener('pointerleave',function(){tip.style.display='none'})})})();
)js";

}  // namespace lalometer
