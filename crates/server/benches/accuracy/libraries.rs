//! Ways in which pages show their largest element with the libraries that pages are built of: each from its package in
//! the registry, as it is published, with a script of a line or two of the page's own.

use crate::drawn::{Draw, PLACE, SHOW, Way, words};

/// Each with what it is called.
pub const LIBRARIES: [(&str, Way); 53] = [
    ("vue, compiled in the page", vue),
    ("vue, then data", vue_data),
    ("vue 2, cloaked", vue_cloaked),
    ("react, then data", react),
    ("preact and hooks", preact),
    ("alpine, cloaked, then data", alpine),
    ("htmx, once loaded", htmx),
    ("mithril, then data", mithril),
    ("superagent, several answers", superagent),
    ("petite-vue, cloaked", petite),
    ("swiper slides", swiper),
    ("flickity slides", flickity),
    ("ractive, compiled in the page", ractive),
    ("splide slides", splide),
    ("glide slides", glide),
    ("tiny slides", tiny),
    ("lazysizes", lazysizes),
    ("vanilla lazyload", vanilla_lazy),
    ("lozad", lozad),
    ("blazy", blazy),
    ("aos", aos),
    ("wow", wow),
    ("scrollreveal", scroll_reveal),
    ("gsap", gsap),
    ("anime", anime),
    ("masonry once pictures are there", masonry),
    ("isotope", isotope),
    ("words kept by localforage", stored),
    ("systemjs", systemjs),
    ("loadjs", load_js),
    ("head.js", head_js),
    ("script.js", script_js),
    ("webfontloader", font_loader),
    ("fontfaceobserver", font_observer),
    ("mustache and data", mustache),
    ("handlebars and data", handlebars),
    ("d3 and data", d3),
    ("knockout", knockout),
    ("angular 1, cloaked, then data", angular),
    ("lit elements by a map", lit),
    ("typed words", typed),
    ("turbo frame", turbo),
    ("stimulus controller", stimulus),
    ("marked and axios", marked),
    ("pace", pace),
    ("leaflet map", leaflet),
    ("i18next and words to load", i18next),
    ("a router, then data", router),
    ("lodash waits", debounce),
    ("rxjs", rxjs),
    ("bluebird promises", bluebird),
    ("zone.js below all", zone),
    ("an old fetch below all", old_fetch),
];

/// Tags of scripts, in order.
fn tags<const N: usize>(how: &str, addresses: [String; N]) -> String {
    addresses.iter().map(|src| format!("<script {how} src={src}></script>\n")).collect()
}

fn sheet(draw: &mut Draw, file: &str) {
    let sheet = draw.library(file);
    draw.head.push(format!("<link rel=stylesheet href={sheet}>"));
}

fn vue(draw: &mut Draw) -> String {
    let library = draw.library("vue@3/dist/vue.global.prod.js");
    let app = draw.script("Vue.createApp({ data: () => ({ words: WORDS }) }).mount('#place')");
    format!("<div id=place><div v-html=words></div></div>{}", tags("", [library, app]))
}

fn vue_data(draw: &mut Draw) -> String {
    let (library, data) = (draw.library("vue@3/dist/vue.global.prod.js"), draw.data());
    let app = draw.script(&format!(
        "Vue.createApp({{ data: () => ({{ words: '' }}), async mounted() {{ await (await fetch('{data}')).json(); this.words = WORDS }}, template: '<div v-html=words></div>' }}).mount('#place')"
    ));
    format!("{PLACE}{}", tags("defer", [library, app]))
}

fn vue_cloaked(draw: &mut Draw) -> String {
    draw.head.push("<style>[v-cloak] { display: none }</style>".into());
    let library = draw.library("vue@2/dist/vue.min.js");
    let app = draw.script("new Vue({ el: '#place' })");
    format!("<div id=place v-cloak>{}</div>{}", words(), tags("", [library, app]))
}

fn react(draw: &mut Draw) -> String {
    let (library, dom) = (
        draw.library("react@18/umd/react.production.min.js"),
        draw.library("react-dom@18/umd/react-dom.production.min.js"),
    );
    let data = draw.data();
    let app = draw.script(&format!(
        "const App = () => {{ const [words, set] = React.useState(null); React.useEffect(() => {{ fetch('{data}').then(r => r.json()).then(() => set(WORDS)) }}, []); return words === null ? 'Wait' : React.createElement('div', {{ dangerouslySetInnerHTML: {{ __html: words }} }}) }}; ReactDOM.createRoot(document.getElementById('place')).render(React.createElement(App))"
    ));
    format!("{PLACE}{}", tags("defer", [library, dom, app]))
}

fn preact(draw: &mut Draw) -> String {
    let (library, hooks) =
        (draw.library("preact@10/dist/preact.umd.js"), draw.library("preact@10/hooks/dist/hooks.umd.js"));
    let data = draw.data();
    let app = draw.script(&format!(
        "const App = () => {{ const [words, set] = preactHooks.useState(null); preactHooks.useEffect(() => {{ fetch('{data}').then(r => r.json()).then(() => set(WORDS)) }}, []); return words === null ? 'Wait' : preact.h('div', {{ dangerouslySetInnerHTML: {{ __html: words }} }}) }}; preact.render(preact.h(App), document.getElementById('place'))"
    ));
    format!("{PLACE}{}", tags("", [library, hooks, app]))
}

fn alpine(draw: &mut Draw) -> String {
    let (library, data) = (draw.library("alpinejs@3/dist/cdn.min.js"), draw.data());
    draw.head.push(format!("<style>[x-cloak] {{ display: none }}</style><script defer src={library}></script>"));
    format!(
        "<div x-data=\"{{ words: '' }}\" x-init=\"words = await (await fetch('{data}')).text() && WORDS\" x-cloak><div x-html=words></div></div>"
    )
}

fn htmx(draw: &mut Draw) -> String {
    let library = draw.library("htmx.org@1/dist/htmx.min.js");
    let part = draw.file("html", "text/html", words().into_bytes());
    draw.head.push(format!("<script src={library}></script>"));
    format!("<div hx-get={part} hx-trigger=load>Wait</div>")
}

fn mithril(draw: &mut Draw) -> String {
    let (library, data) = (draw.library("mithril@2/mithril.min.js"), draw.data());
    let app = draw.script(&format!(
        "{{ let words = ''; m.mount(document.getElementById('place'), {{ oninit: () => m.request('{data}').then(() => {{ words = WORDS }}), view: () => m.trust(words) }}) }}"
    ));
    format!("{PLACE}{}", tags("", [library, app]))
}

fn superagent(draw: &mut Draw) -> String {
    let (library, a, b) = (draw.library("superagent@8/dist/superagent.min.js"), draw.data(), draw.data());
    let app =
        draw.script(&format!("Promise.all([superagent.get('{a}'), superagent.get('{b}')]).then(() => {{ {SHOW} }})"));
    format!("{PLACE}{}", tags("", [library, app]))
}

fn slides(draw: &mut Draw, class: &str) -> String {
    let images = [draw.image(), draw.image()];
    images.iter().map(|src| format!("<div class='{class}'><img src={src} width=360 height=240 alt=''></div>")).collect()
}

fn petite(draw: &mut Draw) -> String {
    draw.head.push("<style>[v-cloak] { display: none }</style>".into());
    let library = draw.library("petite-vue@0.4/dist/petite-vue.iife.js");
    let app = draw.script("PetiteVue.createApp().mount()");
    format!("<div v-scope v-cloak>{}</div>{}", words(), tags("defer", [library, app]))
}

fn swiper(draw: &mut Draw) -> String {
    sheet(draw, "swiper@8/swiper-bundle.min.css");
    draw.head.push("<style>.swiper:not(.swiper-initialized) { display: none }</style>".into());
    let library = draw.library("swiper@8/swiper-bundle.min.js");
    let app = draw.script("new Swiper('.swiper', { loop: true })");
    format!(
        "<div class=swiper><div class=swiper-wrapper>{}</div></div>{}",
        slides(draw, "swiper-slide"),
        tags("", [library, app])
    )
}

fn flickity(draw: &mut Draw) -> String {
    sheet(draw, "flickity@2/dist/flickity.min.css");
    draw.head.push(
        "<style>.slides { opacity: 0 } .flickity-enabled { opacity: 1; transition: opacity 0.2s }</style>".into(),
    );
    let library = draw.library("flickity@2/dist/flickity.pkgd.min.js");
    format!("<div class=slides data-flickity='{{}}'>{}</div>{}", slides(draw, "cell"), tags("defer", [library]))
}

fn ractive(draw: &mut Draw) -> String {
    let library = draw.library("ractive@1/ractive.min.js");
    let app = draw.script("new Ractive({ target: '#place', template: '{{{words}}}', data: { words: WORDS } })");
    format!("{PLACE}{}", tags("", [library, app]))
}

fn splide(draw: &mut Draw) -> String {
    sheet(draw, "@splidejs/splide@4/dist/css/splide.min.css");
    let library = draw.library("@splidejs/splide@4/dist/js/splide.min.js");
    let app = draw.script("addEventListener('DOMContentLoaded', () => { new Splide('.splide').mount() })");
    let slides = slides(draw, "splide__slide");
    format!(
        "<div class=splide><div class=splide__track><div class=splide__list>{slides}</div></div></div>{}",
        tags("async", [library]) + &tags("defer", [app])
    )
}

fn glide(draw: &mut Draw) -> String {
    sheet(draw, "@glidejs/glide@3/dist/css/glide.core.min.css");
    let library = draw.library("@glidejs/glide@3/dist/glide.min.js");
    let app = draw.script("new Glide('.glide').mount()");
    let slides = slides(draw, "glide__slide");
    format!(
        "<div class=glide><div class=glide__track data-glide-el=track><div class=glide__slides>{slides}</div></div></div>{}",
        tags("defer", [library, app])
    )
}

fn tiny(draw: &mut Draw) -> String {
    sheet(draw, "tiny-slider@2/dist/tiny-slider.css");
    draw.head.push("<style>.slides:not(.tns-slider) { display: none }</style>".into());
    let library = draw.library("tiny-slider@2/dist/min/tiny-slider.js");
    let app = draw.script("tns({ container: '.slides', items: 1 })");
    format!("<div class=slides>{}</div>{}", slides(draw, ""), tags("", [library, app]))
}

fn lazysizes(draw: &mut Draw) -> String {
    let (library, image) = (draw.library("lazysizes@5/lazysizes.min.js"), draw.image());
    draw.head.push(format!("<script async src={library}></script>"));
    format!("<img class=lazyload data-src={image} width=360 height=240 alt=''>")
}

fn vanilla_lazy(draw: &mut Draw) -> String {
    let (library, image) = (draw.library("vanilla-lazyload@17/dist/lazyload.min.js"), draw.image());
    let app = draw.script("new LazyLoad()");
    format!("<img class=lazy data-src={image} width=360 height=240 alt=''>{}", tags("", [library, app]))
}

fn lozad(draw: &mut Draw) -> String {
    let (library, image) = (draw.library("lozad@1/dist/lozad.min.js"), draw.image());
    let app = draw.script("lozad().observe()");
    format!(
        "<div class=lozad data-background-image={image} style='width: 360px; height: 240px'></div>{}",
        tags("defer", [library, app])
    )
}

fn blazy(draw: &mut Draw) -> String {
    let (library, image) = (draw.library("blazy@1/blazy.min.js"), draw.image());
    let app = draw.script("new Blazy()");
    draw.head.push("<style>.b-lazy { opacity: 0; transition: opacity 0.2s } .b-loaded { opacity: 1 }</style>".into());
    format!(
        "<img class=b-lazy data-src={image} src='data:image/gif;base64,R0lGODlhAQABAAAAACH5BAEKAAEALAAAAAABAAEAAAICTAEAOw==' width=360 height=240 alt=''>{}",
        tags("", [library, app])
    )
}

fn aos(draw: &mut Draw) -> String {
    sheet(draw, "aos@2/dist/aos.css");
    let library = draw.library("aos@2/dist/aos.js");
    let app = draw.script("AOS.init()");
    format!("<div data-aos=fade-up>{}</div>{}", words(), tags("", [library, app]))
}

fn wow(draw: &mut Draw) -> String {
    sheet(draw, "animate.css@3/animate.min.css");
    draw.head.push("<style>.wow { visibility: hidden }</style>".into());
    let library = draw.library("wowjs@1/dist/wow.min.js");
    let app = draw.script("new WOW().init()");
    format!("<div class='wow fadeIn'>{}</div>{}", words(), tags("", [library, app]))
}

fn scroll_reveal(draw: &mut Draw) -> String {
    let library = draw.library("scrollreveal@4/dist/scrollreveal.min.js");
    let app = draw.script("ScrollReveal().reveal('.reveal', { duration: 300 })");
    draw.head.push("<style>.reveal { visibility: hidden }</style>".into());
    format!("<div class=reveal>{}</div>{}", words(), tags("", [library, app]))
}

fn gsap(draw: &mut Draw) -> String {
    let library = draw.library("gsap@3/dist/gsap.min.js");
    let app = draw.script("gsap.to('#all', { opacity: 1, duration: 0.3 })");
    format!("<div id=all style='opacity: 0'>{}</div>{}", words(), tags("defer", [library, app]))
}

fn anime(draw: &mut Draw) -> String {
    let library = draw.library("animejs@3/lib/anime.min.js");
    let app = draw.script("anime({ targets: '#all', opacity: 1, duration: 300, easing: 'linear' })");
    format!("<div id=all style='opacity: 0'>{}</div>{}", words(), tags("", [library, app]))
}

fn masonry(draw: &mut Draw) -> String {
    let (grid, library) = (
        draw.library("masonry-layout@4/dist/masonry.pkgd.min.js"),
        draw.library("imagesloaded@4/imagesloaded.pkgd.min.js"),
    );
    let app = draw.script(
        "{ const grid = document.querySelector('.grid'); imagesLoaded(grid, () => { new Masonry(grid, { itemSelector: '.cell' }); grid.style.visibility = 'visible' }) }",
    );
    format!(
        "<div class=grid style='visibility: hidden'>{}</div>{}",
        slides(draw, "cell"),
        tags("", [grid, library, app])
    )
}

fn isotope(draw: &mut Draw) -> String {
    let library = draw.library("isotope-layout@3/dist/isotope.pkgd.min.js");
    let app = draw.script("addEventListener('load', () => { new Isotope('.grid', { itemSelector: '.cell', transitionDuration: 0 }); document.querySelector('.grid').style.opacity = 1 })");
    format!("<div class=grid style='opacity: 0'>{}</div>{}", slides(draw, "cell"), tags("", [library, app]))
}

fn stored(draw: &mut Draw) -> String {
    let library = draw.library("localforage@1/dist/localforage.min.js");
    let app = draw.script(&format!(
        "localforage.setItem('words', WORDS).then(() => localforage.getItem('words')).then(() => {{ {SHOW} }})"
    ));
    format!("{PLACE}{}", tags("", [library, app]))
}

fn systemjs(draw: &mut Draw) -> String {
    let library = draw.library("systemjs@6/dist/s.min.js");
    let text = draw.script("System.register([], e => ({ execute() { e('default', WORDS) } }))");
    let app = draw.script(&format!(
        "System.register(['{text}'], () => {{ let words; return {{ setters: [m => {{ words = m.default }}], execute() {{ document.getElementById('place').innerHTML = words }} }} }})"
    ));
    format!("{PLACE}<script src={library}></script><script>System.import('{app}')</script>")
}

fn load_js(draw: &mut Draw) -> String {
    let library = draw.library("loadjs@4/dist/loadjs.umd.js");
    let (one, two) = (
        draw.script("globalThis.words = WORDS"),
        draw.script("globalThis.show = () => { document.getElementById('place').innerHTML = words }"),
    );
    format!(
        "{PLACE}<script src={library}></script><script>loadjs(['{one}', '{two}'], 'both'); loadjs.ready('both', () => show())</script>"
    )
}

fn head_js(draw: &mut Draw) -> String {
    let library = draw.library("headjs@1/dist/1.0.0/head.load.min.js");
    let (one, two) = (
        draw.script("globalThis.words = WORDS"),
        draw.script("globalThis.show = () => { document.getElementById('place').innerHTML = words }"),
    );
    format!("{PLACE}<script src={library}></script><script>head.load('{one}', '{two}', () => show())</script>")
}

fn script_js(draw: &mut Draw) -> String {
    let library = draw.library("scriptjs@2/dist/script.min.js");
    let (one, two) =
        (draw.script("globalThis.words = WORDS"), draw.script("document.getElementById('place').innerHTML = words"));
    format!("{PLACE}<script src={library}></script><script>$script('{one}', () => {{ $script('{two}') }})</script>")
}

fn face(draw: &mut Draw) {
    let font = draw.font();
    draw.head
        .push(format!("<style>@font-face {{ font-family: Own; src: url({font}) }} h1 {{ font-family: Own }}</style>"));
}

fn font_loader(draw: &mut Draw) -> String {
    face(draw);
    draw.head.push("<style>h1 { visibility: hidden } .wf-active h1 { visibility: visible }</style>".into());
    let library = draw.library("webfontloader@1/webfontloader.js");
    draw.head.push(format!(
        "<script>WebFontConfig = {{ custom: {{ families: ['Own'] }} }}</script><script async src={library}></script>"
    ));
    words()
}

fn font_observer(draw: &mut Draw) -> String {
    face(draw);
    draw.head.push("<style>h1 { opacity: 0 } .there h1 { opacity: 1 }</style>".into());
    let library = draw.library("fontfaceobserver@2/fontfaceobserver.js");
    let app =
        draw.script("new FontFaceObserver('Own').load().then(() => { document.documentElement.className = 'there' })");
    format!("{}{}", words(), tags("", [library, app]))
}

fn mustache(draw: &mut Draw) -> String {
    let (library, data) = (draw.library("mustache@4/mustache.min.js"), draw.data());
    let template = draw.file("html", "text/html", b"<div>{{{ words }}}</div>".to_vec());
    let app = draw.script(&format!(
        "Promise.all([fetch('{template}').then(r => r.text()), fetch('{data}').then(r => r.json())]).then(([t]) => {{ document.getElementById('place').innerHTML = Mustache.render(t, {{ words: WORDS }}) }})"
    ));
    format!("{PLACE}{}", tags("", [library, app]))
}

fn handlebars(draw: &mut Draw) -> String {
    let (library, data) = (draw.library("handlebars@4/dist/handlebars.min.js"), draw.data());
    let app = draw.script(&format!(
        "fetch('{data}').then(r => r.json()).then(() => {{ document.getElementById('place').innerHTML = Handlebars.compile(document.getElementById('template').innerHTML)({{ words: WORDS }}) }})"
    ));
    format!(
        "{PLACE}<script id=template type=text/template><div>{{{{{{words}}}}}}</div></script>{}",
        tags("defer", [library, app])
    )
}

fn d3(draw: &mut Draw) -> String {
    let (library, data) = (draw.library("d3@7/dist/d3.min.js"), draw.data());
    let app = draw.script(&format!("d3.json('{data}').then(() => d3.select('#place').html(WORDS))"));
    format!("{PLACE}{}", tags("", [library, app]))
}

fn knockout(draw: &mut Draw) -> String {
    let (library, data) = (draw.library("knockout@3/build/output/knockout-latest.js"), draw.data());
    let app = draw.script(&format!(
        "const model = {{ words: ko.observable('') }}; ko.applyBindings(model); fetch('{data}').then(r => r.json()).then(() => model.words(WORDS))"
    ));
    format!("<div data-bind='html: words'></div>{}", tags("", [library, app]))
}

fn angular(draw: &mut Draw) -> String {
    let (library, data) = (draw.library("angular@1/angular.min.js"), draw.data());
    let app = draw.script(&format!(
        "angular.module('app', []).controller('Page', ['$scope', '$http', '$sce', (s, http, sce) => {{ http.get('{data}').then(() => {{ s.words = sce.trustAsHtml(WORDS) }}) }}])"
    ));
    format!(
        "<div ng-app=app ng-controller=Page ng-cloak><div ng-bind-html=words></div></div>{}",
        tags("", [library, app])
    )
}

fn lit(draw: &mut Draw) -> String {
    let (html, element) =
        (draw.library("lit-html@2/lit-html.js"), draw.library("@lit/reactive-element@1/reactive-element.js"));
    let css = draw.library("@lit/reactive-element@1/css-tag.js");
    draw.head.push(format!(
        "<script type=importmap>{{ \"imports\": {{ \"lit-html\": \"{html}\", \"@lit/reactive-element\": \"{element}\", \"{}/css-tag.js\": \"{css}\" }} }}</script>",
        element.rsplit_once('/').map_or("", |(folder, _)| folder)
    ));
    let app = draw.script(
        "import { html, render } from 'lit-html'; import { ReactiveElement } from '@lit/reactive-element'; customElements.define('tide-card', class extends ReactiveElement { createRenderRoot() { return this } update(p) { super.update(p); render(html`<h1>${WORDS.replace(/<.*?>/g, '')}</h1>`, this) } })",
    );
    format!("<tide-card></tide-card><script type=module src={app}></script>")
}

fn typed(draw: &mut Draw) -> String {
    let library = draw.library("typed.js@2/dist/typed.umd.js");
    let app = draw.script("new Typed('#place', { strings: ['One of the many words that are typed here, and some more'], typeSpeed: 1, showCursor: false })");
    format!("<h1 id=place></h1>{}", tags("defer", [library, app]))
}

fn turbo(draw: &mut Draw) -> String {
    let library = draw.library("@hotwired/turbo@7/dist/turbo.es2017-umd.js");
    let part = draw.file_at(
        crate::drawn::HOSTS[0],
        "html",
        "text/html",
        format!("<turbo-frame id=tides>{}</turbo-frame>", words()).into_bytes(),
        std::time::Duration::ZERO,
    );
    draw.head.push(format!("<script defer src={library}></script>"));
    format!("<turbo-frame id=tides src={part}>Wait</turbo-frame>")
}

fn stimulus(draw: &mut Draw) -> String {
    let (library, data) = (draw.library("@hotwired/stimulus@3/dist/stimulus.umd.js"), draw.data());
    let app = draw.script(&format!(
        "Stimulus.Application.start().register('tide', class extends Stimulus.Controller {{ connect() {{ fetch('{data}').then(r => r.text()).then(() => {{ this.element.innerHTML = WORDS }}) }} }})"
    ));
    format!("<div data-controller=tide></div>{}", tags("defer", [library, app]))
}

fn marked(draw: &mut Draw) -> String {
    let (library, axios, data) =
        (draw.library("marked@4/marked.min.js"), draw.library("axios@1/dist/axios.min.js"), draw.data());
    let app = draw.script(&format!(
        "axios.get('{data}').then(() => {{ document.getElementById('place').innerHTML = marked.parse('# ' + WORDS.replace(/<.*?>/g, '')) }})"
    ));
    format!("{PLACE}{}", tags("", [library, axios, app]))
}

fn pace(draw: &mut Draw) -> String {
    let library = draw.library("pace-js@1/pace.min.js");
    draw.head.push(format!(
        "<script src={library}></script><style>#all {{ opacity: 0 }} .pace-done #all {{ opacity: 1 }}</style>"
    ));
    let image = draw.image();
    format!("<div id=all>{}<img src={image} width=40 height=30 alt=''></div>", words())
}

fn leaflet(draw: &mut Draw) -> String {
    sheet(draw, "leaflet@1/dist/leaflet.css");
    let (library, tile) = (draw.library("leaflet@1/dist/leaflet.js"), draw.image());
    let app = draw.script(&format!(
        "L.tileLayer('{tile}', {{ tileSize: 512 }}).addTo(L.map('map', {{ fadeAnimation: false, zoomControl: false, attributionControl: false }}).setView([0, 0], 1))"
    ));
    format!("<div id=map style='height: 400px'></div>{}", tags("", [library, app]))
}

fn i18next(draw: &mut Draw) -> String {
    let (library, data) = (draw.library("i18next@21/dist/umd/i18next.min.js"), draw.data());
    let app = draw.script(&format!(
        "i18next.use({{ type: 'backend', read: (l, n, done) => fetch('{data}').then(r => r.json()).then(() => done(null, {{ words: WORDS }}), e => done(e)) }}).init({{ lng: 'en', interpolation: {{ escapeValue: false }} }}, (e, t) => {{ document.getElementById('place').innerHTML = t('words') }})"
    ));
    format!("{PLACE}{}", tags("", [library, app]))
}

fn router(draw: &mut Draw) -> String {
    let (library, data) = (draw.library("page@1/page.js"), draw.data());
    let app = draw.script(&format!(
        "page('*', () => {{ fetch('{data}').then(r => r.json()).then(() => {{ {SHOW} }}) }}); page()"
    ));
    format!("{PLACE}{}", tags("", [library, app]))
}

fn debounce(draw: &mut Draw) -> String {
    let (library, data) = (draw.library("lodash@4/lodash.min.js"), draw.data());
    let app =
        draw.script(&format!("const show = _.debounce(() => {{ {SHOW} }}, 60); show(); fetch('{data}').then(show)"));
    format!("{PLACE}{}", tags("", [library, app]))
}

fn rxjs(draw: &mut Draw) -> String {
    let (library, a, b) = (draw.library("rxjs@7/dist/bundles/rxjs.umd.min.js"), draw.data(), draw.data());
    let app = draw.script(&format!(
        "rxjs.forkJoin([rxjs.from(fetch('{a}')), rxjs.from(fetch('{b}'))]).pipe(rxjs.observeOn(rxjs.asyncScheduler)).subscribe(() => {{ {SHOW} }})"
    ));
    format!("{PLACE}{}", tags("", [library, app]))
}

fn bluebird(draw: &mut Draw) -> String {
    let (library, a, b) = (draw.library("bluebird@3/js/browser/bluebird.min.js"), draw.data(), draw.data());
    let app = draw.script(&format!(
        "const get = url => new Promise((done, failed) => {{ const x = new XMLHttpRequest(); x.onload = () => done(x.responseText); x.onerror = failed; x.open('GET', url); x.send() }}); Promise.map(['{a}', '{b}'], get).then(() => {{ {SHOW} }})"
    ));
    format!("{PLACE}{}", tags("", [library, app]))
}

fn zone(draw: &mut Draw) -> String {
    let (library, data) = (draw.library("zone.js@0.11/bundles/zone.umd.min.js"), draw.data());
    let app = draw.script(&format!(
        "fetch('{data}').then(r => r.json()).then(() => new Promise(r => setTimeout(r, 20))).then(() => {{ {SHOW} }})"
    ));
    format!("{PLACE}{}", tags("defer", [library, app]))
}

fn old_fetch(draw: &mut Draw) -> String {
    draw.head.push("<script>delete globalThis.fetch</script>".into());
    let (library, data) = (draw.library("whatwg-fetch@3/dist/fetch.umd.js"), draw.data());
    let app = draw.script(&format!("fetch('{data}').then(r => r.json()).then(() => {{ {SHOW} }})"));
    format!("{PLACE}{}", tags("", [library, app]))
}
