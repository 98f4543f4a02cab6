"""What lies around a layer."""

from __future__ import annotations

from velvet_seam.core.around import Border, FloorShadow, LightWrap, OuterGlow, Shadow
from velvet_seam.core.words import Part


class Around(Part):
    """A border, shadows, a glow and the light of what lies below: each switched on by itself."""

    floor: FloorShadow = FloorShadow()
    shadow: Shadow = Shadow()
    glow: OuterGlow = OuterGlow()
    border: Border = Border()
    wrap: LightWrap = LightWrap()

    @property
    def none(self) -> bool:
        return not any(getattr(self, name).on for name in type(self).model_fields)
