"""Constants of physics, each with its unit and source; used in calculation and compiled code alike."""

from __future__ import annotations

CELSIUS_ZERO = 273.15  # K at 0 °C, exact by definition of the degree Celsius
SIGMA = 5.670374419e-8  # W/(m² K⁴), Stefan–Boltzmann; CODATA 2018, exact by definition of the SI
VAPOUR_GAS_CONSTANT = (
    461.5  # J/(kg K), of water vapour: 8.314463 J/(mol K) over 0.0180153 kg/mol (CODATA 2018; IUPAC 2013)
)
LATENT_BOILING = 2.257e6  # J/kg, of water at 100 °C (steam tables, from memory)
LATENT_AT_0C = 2.501e6  # J/kg, of evaporation at 0 °C by the usual straight line (from memory)
LATENT_BY_DEGREE = -2361.0  # J/(kg K), and its slope, for 0 to 100 °C (from memory)
LATENT_FUSION = 333.6e3  # J/kg, of ice at 0 °C (ASHRAE Handbook: Refrigeration)
AIR_DENSITY = 1.06  # kg/m³, of humid air near 60 °C (from memory)
AIR_HEAT = 1007.0  # J/(kg K), of air (from memory)
LEWIS_POWER = 0.9  # Le^(2/3) of water vapour in air (from memory)
LEWIS_AIR = 1.0 / (AIR_DENSITY * AIR_HEAT * LEWIS_POWER)  # m³ K/J: mass transfer by heat transfer at a wet surface

GAS_CONSTANT = 8.314462618  # J/(mol K), exact by definition of the SI
