"""What the figures that Earshot prints mean: definition, formula, source."""

from __future__ import annotations

import re
from dataclasses import dataclass

from .errors import UsageError, unknown

_IEEE = "IEEE Std 145-2013"


@dataclass(frozen=True, slots=True)
class Term:
    """A figure: its name, what it is, its formula, where that is from, and other words for it."""

    name: str
    meaning: str
    formula: str
    source: str
    also: tuple[str, ...] = ()


_TERMS = (
    Term(
        "gain",
        "Radiation intensity in a direction over what the power accepted by the ports would give if it went evenly in "
        "all directions. Mismatch does not lower it; losses in metal, loads and lines do.",
        "G = 4π U / P_accepted",
        _IEEE + "; Balanis 2016, eq. 2-46",
        ("dBi", "gain, dBi", "absolute gain"),
    ),
    Term(
        "realized gain",
        "Gain lowered by the mismatch at the ports: radiation intensity over the power sent towards them.",
        "G_re = 4π U / P_sent = G (1 - |Γ|²) for one port",
        _IEEE + "; Balanis 2016, sec. 2.9",
    ),
    Term(
        "directivity",
        "Radiation intensity in a direction over its mean over all directions. Neither loss nor mismatch lowers it.",
        "D = 4π U / P_radiated",
        _IEEE + "; Balanis 2016, eq. 2-16",
    ),
    Term(
        "azimuth of peak",
        "Direction of the greatest radiation intensity about the z axis, counted from +x towards +y.",
        "φ of max U(θ, φ)",
        "spherical coordinates, ISO 80000-2",
    ),
    Term(
        "elevation of peak",
        "Direction of the greatest radiation intensity above the x-y plane.",
        "90° - θ of max U(θ, φ)",
        "spherical coordinates, ISO 80000-2",
        ("peak", "peak az, el"),
    ),
    Term(
        "half-power beamwidth",
        "Angle between the two directions in a cut, on either side of the main lobe's peak, where the intensity has "
        "fallen to half.",
        "U(ψ₁) = U(ψ₂) = U_max / 2 (-3.01 dB)",
        _IEEE,
        ("beamwidth", "half-power beamwidth, E-plane", "half-power beamwidth, H-plane"),
    ),
    Term(
        "side lobe level",
        "The strongest lobe besides the main one in all directions, or in a cut where one is named, relative to the "
        "peak. Lobes as strong as the main one, to 0.05 dB, are equal beams and no side lobes.",
        "SLL = 10 log10(U_side / U_max)",
        _IEEE,
        ("side lobes", "side lobe level, E-plane", "side lobe level, H-plane", "equal beam"),
    ),
    Term(
        "E-plane",
        "The plane through the peak's direction and the electric field there; the long axis of the ellipse when the "
        "field is not linear.",
        "great circle through r̂_peak and ê_peak",
        _IEEE,
        ("E cut",),
    ),
    Term(
        "H-plane",
        "The plane through the peak's direction, square to the E-plane.",
        "great circle through r̂_peak and r̂_peak x ê_peak",
        _IEEE,
        ("H cut",),
    ),
    Term(
        "front-to-back ratio",
        "Peak intensity over the intensity in exactly the opposite direction; over a plane or earth, over that as high "
        "on the other side.",
        "10 log10(U(θ, φ) / U(π - θ, φ + π)); over a plane U(θ, φ) / U(θ, φ + π)",
        _IEEE,
        ("F/B", "front", "front/back", "to back"),
    ),
    Term(
        "front-to-rear ratio",
        "Peak intensity over the strongest intensity within 60 degrees of the opposite direction.",
        "10 log10(U_max / max U within 60° of the back)",
        "a common broadening of the front-to-back ratio; the angle is stated with it",
    ),
    Term(
        "front-to-side ratio",
        "Peak intensity over the stronger of the two directions as high as it, a quarter turn aside in azimuth.",
        "10 log10(U(θ, φ) / max U(θ, φ ± 90°))",
        "trade usage",
    ),
    Term(
        "axial ratio",
        "Long over short axis of the polarisation ellipse: 0 dB is circular; linear is infinite and shown as 100 dB at "
        "most.",
        "AR = 20 log10((|E_R| + |E_L|) / ||E_R| - |E_L||)",
        _IEEE + "; Balanis 2016, eq. 2-65",
        ("axial ratio at the peak",),
    ),
    Term(
        "radiation efficiency",
        "Share of the accepted power that is radiated; the rest heats metal, loads and lines.",
        "e = P_radiated / P_accepted = G / D",
        _IEEE,
        ("efficiency",),
    ),
    Term(
        "power accepted",
        "Net power into the driven ports.",
        "P = Σ ½ Re(V I*), peak phasors",
        "Pozar 2012, sec. 2.6",
        ("accepted",),
    ),
    Term(
        "power radiated",
        "Power through a large sphere, from the far field itself and not as accepted less lost.",
        "P = ∮ U dΩ",
        "Balanis 2016, eq. 2-13",
        ("radiated",),
    ),
    Term(
        "sent",
        "Power of the waves that generators of the ports' reference impedances send towards the driven ports.",
        "P = Σ |V + Z₀ I|² / 8 Re Z₀",
        "Kurokawa 1965, eq. 1; Pozar 2012, eq. 4.40",
    ),
    Term("returned", "What is sent and not accepted.", "P_sent - P_accepted", "conservation of energy"),
    Term(
        "R",
        "Resistance at a port: real part of the input impedance, with every other port closed by its reference.",
        "R = Re(V / I)",
        _IEEE,
        ("resistance", "R, ohm"),
    ),
    Term(
        "X",
        "Reactance at a port: imaginary part of the input impedance; positive is inductive.",
        "X = Im(V / I)",
        _IEEE,
        ("reactance", "X, ohm"),
    ),
    Term(
        "impedance",
        "Voltage over current at a port: R + jX. Of several driven ports it is the active impedance, with all of them "
        "fed as they are.",
        "Z = V / I",
        _IEEE,
        ("input impedance", "active impedance"),
    ),
    Term(
        "reflection coefficient",
        "Returned over sent wave at a port of reference Z₀, every other port closed by its own.",
        "Γ = (Z - Z₀*) / (Z + Z₀)",
        "Kurokawa 1965; for real Z₀ Pozar 2012, eq. 2.35",
        ("reflection", "S11", "S"),
    ),
    Term(
        "VSWR",
        "Greatest over least voltage along a line of the port's reference impedance.",
        "VSWR = (1 + |Γ|) / (1 - |Γ|)",
        "Pozar 2012, eq. 2.41",
        ("SWR", "standing wave ratio"),
    ),
    Term(
        "return loss",
        "How far the returned power is below the sent power. Greater is better.",
        "RL = -20 log10 |Γ|",
        "Pozar 2012, eq. 2.38",
        ("return loss, dB", "10 dB loss"),
    ),
    Term(
        "resonance",
        "A frequency at which the reactance is zero: series where it rises through zero, parallel where it falls.",
        "X(f) = 0",
        _IEEE,
        ("nearest resonance",),
    ),
    Term(
        "bandwidth",
        "The stretch of frequency within a VSWR (2 unless said otherwise), in percent of its middle.",
        "200 (f₂ - f₁) / (f₂ + f₁)",
        _IEEE,
        ("width", "%", "VSWR within 2 from", "VSWR within 2 to", "from", "to", "best at"),
    ),
    Term(
        "Q",
        "Quality factor at a resonance: stored over lost energy, from the slope of the impedance. The bandwidth of a "
        "tuned antenna within VSWR s is about (s - 1) / Q √s.",
        "Q = ω |dZ/dω| / 2R",
        "Yaghjian and Best 2005, IEEE Trans. AP 53, eq. 96",
    ),
    Term(
        "S-parameters",
        "Waves out of the ports over waves into them: S of row a, column b is what comes out of a when only b is fed.",
        "b = S a, power waves at the ports' references",
        "Kurokawa 1965, eq. 18",
        ("scattering parameters", "|S|"),
    ),
    Term(
        "coupling",
        "Share of the power sent to one port that comes out of another, both closed by their references.",
        "20 log10 |S_ab|",
        "Pozar 2012, sec. 4.3",
        ("isolation",),
    ),
    Term(
        "±",
        "Estimated error of a figure from the size of the mesh's pieces: its change when they are doubled (from the "
        "solve's own matrix) or, for evidence, halved (by another solve), times what the order of convergence makes of "
        "it and 1.5 for safety; no less than the figures beside it show. An estimate, not a bound; what the model "
        "leaves out is not in it.",
        "1.5 |figure(doubled) - figure|/(2ᵖ - 1), 1.5 |figure(halved) - figure|/(1 - 2⁻ᵖ); p = 2, with sheets 1",
        "Roache 1994",
        ("evidence", "error", "change", "±, mesh"),
    ),
    Term(
        "largest boundary residual",
        "Greatest tangential field left on the metal between the tested places, as volts over a segment per volt "
        "applied.",
        "max |v - Z I| over hat functions at the middles of segments",
        "residual of the integral equation",
        ("boundary residual",),
    ),
    Term(
        "power balance",
        "Radiated and lost over accepted power, less one; zero is perfect. It sees only the real part of the solution.",
        "(P_radiated + P_lost) / P_accepted - 1",
        "Poynting's theorem",
    ),
    Term(
        "passivity",
        "Least eigenvalue of the real part of the impedance matrix over its norm: below zero, ports would give power.",
        "min eig Re Z / ||Z||",
        "Pozar 2012, sec. 4.2",
    ),
    Term(
        "dBd",
        "Gain over that of a half-wave dipole, 2.15 dBi.",
        "dBd = dBi - 2.15",
        "Balanis 2016, sec. 4.6",
    ),
    Term(
        "unknowns",
        "Number of basis functions whose currents are solved for.",
        "N",
        "method of moments, Harrington 1968",
    ),
    Term(
        "array factor",
        "The field of an array over that of one of its elements, when all have one pattern and one direction.",
        "F(r̂) = Σ w_n exp(jk r̂·r_n)",
        _IEEE + "; Balanis 2016, sec. 6.2",
    ),
    Term(
        "taper efficiency",
        "What a taper of amplitudes leaves of the directivity that equal amplitudes would have.",
        "|Σ |w||² / (N Σ |w|²)",
        "Mailloux 2018, sec. 2.2",
        ("taper_efficiency", "aperture taper efficiency"),
    ),
    Term(
        "scan loss",
        "Directivity of the same amplitudes in phase over that of the steered beam, dB.",
        "10 log10(D_in phase / D_steered)",
        "Mailloux 2018, sec. 1.3",
        ("scan_loss_dB",),
    ),
    Term(
        "grating lobe",
        "A beam besides the one wanted, where the phases by every step of the lattice differ by whole turns.",
        "u = u0 + p b1 + q b2, b the reciprocal lattice in wavelengths",
        _IEEE + "; Balanis 2016, sec. 6.10.1",
        ("grating_lobes",),
    ),
    Term(
        "active reflection coefficient",
        "Returned over sent wave at a port with all ports fed as they are; the active VSWR is of it.",
        "Γ_n = Σ S_nm a_m / a_n",
        _IEEE + "; Pozar 1994",
        ("active reflection", "active VSWR", "active_reflection"),
    ),
    Term(
        "total active reflection",
        "Root of the power that comes back out of all ports over the power available to them.",
        "√(Σ |b|² / Σ |a|²)",
        "Manteghi and Rahmat-Samii 2005, eq. 5",
        ("total_active_reflection",),
    ),
    Term(
        "embedded pattern",
        "The far field of an array with one element fed and the others closed by their references.",
        "E = Σ w_n E_n for weights w",
        _IEEE + ", embedded element pattern; Pozar 1994",
    ),
    Term(
        "EIRP",
        "Power that would give the same intensity if it went evenly in all directions.",
        "EIRP = 4π U",
        _IEEE,
        ("effective isotropically radiated power", "EIRP_dBW"),
    ),
    Term(
        "G/T",
        "Gain of a receiving antenna over the noise temperature of the system, at the same place.",
        "G / (T_a + T0 (L F - 1))",
        _IEEE + "; Pozar 2012, sec. 10.1",
        ("figure of merit", "G_over_T_dB_per_K"),
    ),
    Term(
        "total efficiency",
        "Radiated power over the power sent towards the ports: radiation efficiency lowered by the mismatch.",
        "η_total = P_radiated / P_sent",
        _IEEE + ", total efficiency; Balanis 2016, eq. 2-45",
        ("of what is sent",),
    ),
    Term(
        "mismatch loss",
        "By how much the mismatch at the ports lowers the gain.",
        "G - G_re in dB; -10 log(1 - |Γ|²) for one port",
        _IEEE + ", mismatch factor",
        ("no mismatch loss",),
    ),
    Term(
        "take-off angle",
        "Elevation at which a lobe of an antenna over ground is strongest; there are as many as there are lobes.",
        "90° - θ where U(θ, φ of the peak) is greatest",
        "definition",
        ("take-off", "lobes, dBi", "cone of take-off", "elevation_deg"),
    ),
    Term(
        "broadside",
        "The direction square to a board or an array; the zenith where it lies flat. Angles of panels are counted from "
        "it.",
        "θ = 0",
        _IEEE,
        ("from broadside", "zenith", "peak off, az", "angle from the top of the cut", "0° top"),
    ),
    Term(
        "tilt",
        "Angle of the long axis of the polarisation ellipse from the vertical (θ) towards the horizontal (φ).",
        "τ = ½ arg(E_R E_L*)",
        _IEEE + ", tilt angle",
        ("tilt angle", "tilt_deg"),
    ),
    Term(
        "co-polar",
        "The part of the field that is polarised as wanted: by Ludwig's third definition about the beam, or vertical "
        "or horizontal where a beam goes along the ground. The other is cross-polar.",
        "Ludwig 3: E_co = E_θ sin φ + E_φ cos φ about the beam",
        "Ludwig 1973",
        ("cross-polar", "gain_co", "gain_cross", "gain, co-polar", "gain, cross-polar", "co-polarisation"),
    ),
    Term(
        "circular polarisation",
        "A field whose end goes round in a circle: right-hand when it turns as a right-hand screw going with the wave. "
        "Told as circular up to an axial ratio of 3 dB, as linear beyond 30 dB, and as elliptical between.",
        "E_R, E_L = (E_θ ± j E_φ)/√2",
        _IEEE + ", right-hand polarised wave",
        (
            "polarisation",
            "right-hand",
            "left-hand",
            "right-hand circular",
            "left-hand circular",
            "rhcp",
            "lhcp",
            "linear",
            "elliptical",
            "gain_rhcp",
            "gain_lhcp",
        ),
    ),
    Term(
        "vertical polarisation",
        "The part of the far field along θ, in the plane through the z axis; horizontal is the part along φ.",
        "E_θ, E_φ",
        _IEEE,
        ("horizontal polarisation", "gain_theta", "gain_phi", "vertical", "horizontal"),
    ),
    Term(
        "near field",
        "E and H close to the antenna, where they are not yet those of the far field: peak values unless rms is asked.",
        "E = -jωA - ∇φ, H = ∇ × A/µ",
        "Balanis 2016, ch. 3",
        ("near", "E_V_per_m", "H_A_per_m", "contour"),
    ),
    Term(
        "surface wave",
        "A wave that layers guide along them; its power does not reach the far field over an infinite board.",
        "poles of the layers' reflection",
        "Pozar 1983; Collin 1991, ch. 11",
        ("TM0", "TE1", "surface wave TM0"),
    ),
    Term(
        "leaky wave",
        "A wave along layers, faster than in air, that leaves them as it goes: it fades, and its power is radiated.",
        "zeros of the layers' resonance with u0 = -√(k² - k0²): leaves to θ with k0 sin θ = Re k",
        "Tamir and Oliner 1963",
        ("leaky",),
    ),
    Term(
        "parallel-plate wave",
        "A wave between two planes, which layers under a lid guide; its power leaves sideways, to no far field.",
        "poles of the layers between both planes",
        "Collin 1991, ch. 11",
        ("between planes", "parallel-plate wave TM0"),
    ),
    Term(
        "opening",
        "A hole in a plane that both sides see: the field across it is a magnetic current on either side.",
        "M = E × n",
        "Harrington and Mautz 1976",
        ("slot", "aperture in a plane"),
    ),
    Term(
        "lost",
        "Where power goes that is sent and not radiated: returned by the mismatch, into metal, jackets, layers, earth.",
        "P_sent - P_radiated, by part",
        "power balance",
        ("where the power goes", "budget", "metal", "remainder"),
    ),
    Term(
        "sector",
        "A cone round a direction; the least, mean and greatest gain in it are told, the mean being that of power.",
        "min, mean, max of G within an angle of a direction",
        "definition",
        ("gain within sectors",),
    ),
)


def terms() -> tuple[Term, ...]:
    """Every term, by name."""
    return tuple(sorted(_TERMS, key=lambda t: t.name.lower()))


def term(name: str) -> Term:
    """The term of that name or of another word for it, however it is spelt; raises UsageError naming the nearest.

    >>> term("Front to Back").name
    'front-to-back ratio'
    """

    def plain(text: str) -> str:
        return re.sub(r"[\s_-]+", " ", re.sub(r" (ratio|level)$", "", text.strip().lower()))

    named = {plain(word): t for t in reversed(_TERMS) for word in (*t.also, t.name)}
    if plain(str(name)) in named:
        return named[plain(str(name))]
    raise UsageError(f"explain: {unknown('term', str(name), [t.name for t in _TERMS])}")
